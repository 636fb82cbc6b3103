/** Asks again when the server says that it is too busy just now: what it refused so was not begun. */

const MOST_TIMES = 6;

/** Seconds to stay away; undefined if this is another answer. */
export function comeAgain(response: Response): number | undefined {
  if (response.status !== 503) return undefined;
  const asked = Number.parseFloat(response.headers.get("Retry-After") ?? "");
  return Number.isFinite(asked) && asked >= 0 ? asked : undefined;
}

/** As `fetch`, but for that. Many windows do not all come again at the same moment. */
export async function patientFetch(input: RequestInfo | URL, init?: RequestInit): Promise<Response> {
  for (let time = 1; ; time++) {
    // A body can be sent once only, so each time a copy is.
    const response = await fetch(input instanceof Request ? input.clone() : input, init);
    const pause = comeAgain(response);
    if (pause === undefined || time === MOST_TIMES) return response;
    await new Promise((resolve) => setTimeout(resolve, 1000 * pause * (0.5 + Math.random())));
  }
}
