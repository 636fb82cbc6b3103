/** What the server says went wrong, and how to mend it (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly what: string,
    readonly mend: string,
    readonly status: number,
    /** Of a mistake in a Sift: its first character and one past its last. */
    readonly place?: readonly [number, number],
  ) {
    super(`${what} ${mend}`.trim());
  }
}
