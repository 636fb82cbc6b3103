/** Changes of a Sift that the page makes by itself. */

/** The Sift with its orders taken out and the one by likeness put in. */
export function orderedByLikeness(sift: string): string {
  const kept = sift.replace(/"(?:[^"]|"")*"|(?<![^\s(])order:\S+/giu, (part) =>
    part.startsWith('"') ? part : "",
  );
  return `${kept} order:like`.replace(/\s+/gu, " ").trim();
}
