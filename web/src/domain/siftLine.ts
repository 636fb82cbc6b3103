/** What the page itself reads from a Sift and writes into it; what it means is the server's to say. */
import type { Completion } from "../api/client";

/** True if a word of the Sift asks about a run. */
export function asksAboutRun(sift: string): boolean {
  const plain = sift.replace(/"(?:[^"]|"")*"/gu, "");
  return /(?:^|[\s(])(?:(?:wrong|right|judged|undecided|wrong-today|right-today)(?=$|[\s)])|(?:predicted|true|judged|p|loss)[:=<>]|order:[^\s]*\b(?:p|loss)\b)/iu.test(
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

/** A name as it must be written to be read again. */
function quoted(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

type Named = readonly { readonly id: number; readonly name: string }[];

/**
 * The Sift of what a model was judged on: its errors on a set, or what fell into some cells of its matrix (true and
 * predicted class by their ids, "3.4"), the most surprising first. With today's classes the cells are meant by the
 * labels of today.
 */
export function judgedSift(
  classes: Named,
  set: string,
  cells: ReadonlySet<string>,
  today?: Named | undefined,
): string {
  const named = (of: Named, id: string | undefined) =>
    quoted(of.find((entry) => String(entry.id) === id)?.name ?? "");
  const isTruly = (id: string | undefined) =>
    today ? `class:${named(today, id)}` : `true:${named(classes, id)}`;
  const isSaid = (id: string | undefined) => `predicted:${named(classes, id)}`;
  const parts = [...cells].map((cell) => {
    const [truth, predicted] = cell.split(".");
    if (predicted === "*") return isTruly(truth);
    if (truth === "*") return isSaid(predicted);
    return `${isTruly(truth)} ${isSaid(predicted)}`;
  });
  const wrong = today ? "wrong-today" : "wrong";
  const meant = parts.length > 1 ? `(${parts.map((part) => `(${part})`).join(" or ")})` : (parts[0] ?? wrong);
  // Of all that is read as a class, what it does not know today has no place in the matrix.
  const known = today && cells.size ? " (wrong-today or right-today)" : "";
  return `judged:${set} ${meant}${known}${today ? " not excluded" : ""} order:-loss`;
}

/** Where Rows shows the pictures of a Sift. */
export function rowsAddress(
  projectId: number,
  asked: { sift: string; split: number | undefined; run: number | undefined; like: number | undefined },
): string {
  const params = new URLSearchParams({ group: "nothing", sift: asked.sift });
  for (const key of ["split", "run", "like"] as const) {
    if (asked[key] !== undefined) params.set(key, String(asked[key]));
  }
  return `/p/${projectId}/rows?${params}`;
}
