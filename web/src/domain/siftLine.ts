/** What the page itself reads from a Sift and writes into it; what it means is the server's to say. */
import type { Completion } from "../api/client";

/** True if a word of the Sift asks about a run. */
export function asksAboutRun(sift: string): boolean {
  const plain = sift.replace(/"(?:[^"]|"")*"/gu, "");
  return /(?:^|[\s(])(?:(?:wrong|right|judged)(?=$|[\s)])|(?:predicted|p|loss)[:=<>]|order:[^\s]*\b(?:p|loss)\b)/iu.test(
    plain,
  );
}

/** The Sift with its orders taken out and the one by likeness put in. */
export function orderedByLikeness(sift: string): string {
  const kept = sift.replace(/"(?:[^"]|"")*"|(?<![^\s(])order:\S+/giu, (part) =>
    part.startsWith('"') ? part : "",
  );
  return `${kept} order:like`.replace(/\s+/gu, " ").trim();
}

/** The line with an offered completion written in, and where the cursor stands then. */
export function completed(
  draft: string,
  cursor: number,
  entry: Completion,
): { text: string; cursor: number } {
  const open = /[:<]$/.test(entry.text);
  const text = `${draft.slice(0, entry.start)}${entry.text}${open ? "" : " "}`;
  return { text: text + draft.slice(cursor).trimStart(), cursor: text.length };
}
