/** The confusion matrix as geometry and words. */
import type { Judgement, Slice } from "../api/client";

export interface MatrixCell {
  readonly truth: number;
  readonly predicted: number;
  readonly count: number;
  /** Of the row (or column): what the square's area stands for. */
  readonly share: number;
  /** Side of the square as a part of the cell's side. */
  readonly side: number;
}

export type Share = "row" | "column";

/** Two classes that are confused: `truth` is read as `predicted` more often than the other way. */
export interface ConfusedPair {
  readonly truth: number;
  readonly predicted: number;
  readonly count: number;
  /** The other way. */
  readonly back: number;
}

type Classes = readonly { readonly id: number; readonly name: string }[];

/** A cell by the ids of its classes. */
export function cellKey(classes: Classes, truth: number, predicted: number): string {
  return `${classes[truth]?.id ?? 0}.${classes[predicted]?.id ?? 0}`;
}

/** All pictures of a true class, or all that were read as a class. */
export function lineKey(classes: Classes, place: number, of: "true" | "predicted"): string {
  const id = classes[place]?.id ?? 0;
  return of === "true" ? `${id}.*` : `*.${id}`;
}

/** A cell is among the chosen ones, by itself or by its whole line. */
export function isChosen(
  classes: Classes,
  chosen: ReadonlySet<string>,
  truth: number,
  predicted: number,
): boolean {
  return (
    chosen.has(cellKey(classes, truth, predicted)) ||
    chosen.has(lineKey(classes, truth, "true")) ||
    chosen.has(lineKey(classes, predicted, "predicted"))
  );
}

/** What is chosen, in words. */
export function chosenWords(classes: Classes, chosen: ReadonlySet<string>): string {
  const name = (id: string | undefined) =>
    classes.find((entry) => String(entry.id) === id)?.name ?? "a class that is gone";
  return [...chosen]
    .map((key) => {
      const [truth, predicted] = key.split(".");
      if (predicted === "*") return `all that are ${name(truth)}`;
      if (truth === "*") return `all read as ${name(predicted)}`;
      return truth === predicted
        ? `${name(truth)} read rightly`
        : `${name(truth)} read as ${name(predicted)}`;
    })
    .join("; ");
}

/** How often chance would give as much. */
export function chanceWords(p: number): string {
  return p < 0.001 ? "p < 0.001" : `p = ${Number(p.toPrecision(1))}`;
}

/** "errors are 3.1 times as frequent among the darkest fifth (p = 0.004)" */
export function sliceWords(slice: Slice): string {
  const times = slice.times > 100 ? "over 100" : slice.times.toPrecision(2);
  return `errors are ${times} times as frequent ${slice.words} (${chanceWords(slice.p)})`;
}

/** "17 stellar read as dendrite, 4 the other way" */
export function pairWords(classes: Classes, pair: ConfusedPair): string {
  const words = `${classes[pair.truth]?.name} read as ${classes[pair.predicted]?.name}`;
  return pair.back ? `${words}, ${pair.back} the other way` : words;
}

export function matrixCells(judgement: Judgement, share: Share): MatrixCell[] {
  const totals = judgement.classes.map((entry) => (share === "row" ? entry.count : entry.predicted));
  return judgement.confusion.flatMap((row, truth) =>
    row.map((count, predicted) => {
      const whole = totals[share === "row" ? truth : predicted] ?? 0;
      const part = whole ? count / whole : 0;
      return { truth, predicted, count, share: part, side: Math.sqrt(part) };
    }),
  );
}

/** Pictures in the cells that are meant. */
export function countOf(judgement: Judgement, meant: (truth: number, predicted: number) => boolean): number {
  let count = 0;
  judgement.confusion.forEach((row, truth) => {
    row.forEach((cell, predicted) => {
      if (meant(truth, predicted)) count += cell;
    });
  });
  return count;
}

/** Pairs of classes, both directions together, most pictures first; among equals in the order of the classes. */
export function confusedPairs(judgement: Judgement): ConfusedPair[] {
  const { confusion } = judgement;
  const pairs: ConfusedPair[] = [];
  for (let a = 0; a < confusion.length; a++) {
    for (let b = a + 1; b < confusion.length; b++) {
      const [there, back] = [confusion[a]?.[b] ?? 0, confusion[b]?.[a] ?? 0];
      if (there >= back && there) pairs.push({ truth: a, predicted: b, count: there, back });
      else if (back) pairs.push({ truth: b, predicted: a, count: back, back: there });
    }
  }
  return pairs.sort(
    (a, b) => b.count + b.back - (a.count + a.back) || a.truth - b.truth || a.predicted - b.predicted,
  );
}

/**
 * An order in which classes that are confused stand together: a chain that always goes on to the class most confused
 * with its end, begun at one end of the strongest pair.
 */
export function likenessOrder(judgement: Judgement): number[] {
  const size = judgement.classes.length;
  const between = (a: number, b: number) => share(judgement, a, b) + share(judgement, b, a);
  const left = new Set(Array.from({ length: size }, (_, index) => index));
  let start = 0;
  let strongest = -1;
  for (let a = 0; a < size; a++) {
    for (let b = a + 1; b < size; b++) {
      if (between(a, b) > strongest) {
        strongest = between(a, b);
        start = a;
      }
    }
  }
  const order = [start];
  left.delete(start);
  while (left.size) {
    const head = order[0] ?? 0;
    const tail = order[order.length - 1] ?? 0;
    let best = { place: -1, at: "tail" as "head" | "tail", weight: -1 };
    for (const candidate of left) {
      if (between(tail, candidate) > best.weight) {
        best = { place: candidate, at: "tail", weight: between(tail, candidate) };
      }
      if (between(head, candidate) > best.weight) {
        best = { place: candidate, at: "head", weight: between(head, candidate) };
      }
    }
    if (best.at === "tail") order.push(best.place);
    else order.unshift(best.place);
    left.delete(best.place);
  }
  return order;
}

function share(judgement: Judgement, truth: number, predicted: number): number {
  const whole = judgement.classes[truth]?.count ?? 0;
  return whole ? (judgement.confusion[truth]?.[predicted] ?? 0) / whole : 0;
}
