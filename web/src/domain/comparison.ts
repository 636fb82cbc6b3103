/** Runs beside each other: verdicts in words, differences of matrices, and which of them nothing beats. */
import type { Comparison, Epoch } from "../api/client";
import { plural, score } from "./words";

/** Below this a difference is called one: the trade's habit. */
const SURE = 0.05;

/** "7 now right, 5 now wrong: could well be chance, p = 0.77." */
export function pairWords({ pair, runs }: Comparison): string {
  if (!pair) return "";
  const { gained, lost, p } = pair;
  if (!gained && !lost) return "Both are right and wrong about the same pictures.";
  const counts = `${gained} now right, ${lost} now wrong`;
  if (Math.abs(gained - lost) === 1) return `${counts}: one picture’s difference.`;
  const chance = p < 0.001 ? "p < 0.001" : `p = ${Number(p.toPrecision(2))}`;
  if (p >= SURE) return `${counts}: could well be chance, ${chance}.`;
  const better = gained > lost ? runs[1] : runs[0];
  return `${counts}: run ${better?.number} is better, ${chance}.`;
}

/** What has to be known before one reads the figures. */
export function cautions(found: Comparison): string[] {
  const said: string[] = [];
  const most = Math.max(...found.judged);
  if (found.pictures < most)
    said.push(
      found.pictures
        ? `Held against each other on the ${plural(found.pictures, `${found.set} picture`)} that all of them share, of ${found.judged.join(" and ")}: the others one of them has learnt from, or was not asked about.`
        : `They share no ${found.set} picture, so nothing can be said picture by picture.`,
    );
  if (found.labels_differ)
    said.push(
      `${plural(found.labels_differ, "picture")} had another label in one of them: all are held against those of run ${found.labels_of}.`,
    );
  // Epochs that were done follow from those that were planned, and pictures from their division.
  const asked = found.differences.map(({ what }) => what);
  const changed = asked.filter(
    (what) =>
      what !== "settings.seed" &&
      !(what === "epochs_done" && asked.includes("settings.epochs")) &&
      !(what === "pictures" && asked.includes("split")),
  );
  if (changed.length > 1)
    said.push("More than one thing was changed: what made the difference cannot be told from these runs.");
  if (found.runs.length === 2) said.push("It compares these two models; with another seed it may turn.");
  return said;
}

function difference(now: number, then: number): string {
  return now === then ? "as many" : `${now > then ? "+" : "−"}${Math.abs(now - then)}`;
}

/** From the earlier run by its own labels over what the labels alone do to what the new training does. */
export function mendingWords({ mending, pictures }: Comparison): string[] {
  if (!mending) return [];
  const { before, after, right_then, right_by_new_labels, right_now, others } = mending;
  const words = [
    `Run ${before} by its own labels: ${right_then} of ${pictures} right.`,
    `The same answers by the labels of run ${after}: ${right_by_new_labels} (${difference(right_by_new_labels, right_then)}): the labels alone.`,
    `Run ${after} by them: ${right_now} (${difference(right_now, right_by_new_labels)}).`,
  ];
  if (others.count < pictures) {
    const { gained, lost, p } = others;
    const turned =
      gained || lost
        ? `${gained} now right, ${lost} now wrong, p = ${Number(p.toPrecision(2))}`
        : "none turned";
    words.push(
      `On the ${others.count} that were not mended: ${others.right_now} against ${others.right_then} (${turned}). The mended ones were picked by errors of run ${before}, so only these tell whether the training became better.`,
    );
  }
  return words;
}

/** Gains and losses by cell: the second matrix less the first. On the diagonal more is better, elsewhere less. */
export interface ChangedCell {
  readonly truth: number;
  readonly predicted: number;
  readonly change: number;
  readonly better: boolean;
}

export function changedCells(found: Comparison): ChangedCell[] {
  const [first, second] = found.runs;
  if (!first || !second) return [];
  return second.confusion.flatMap((row, truth) =>
    row.flatMap((count, predicted) => {
      const change = count - (first.confusion[truth]?.[predicted] ?? 0);
      return change ? [{ truth, predicted, change, better: change > 0 === (truth === predicted) }] : [];
    }),
  );
}

export type Cost = "parameters" | "multiply_adds" | "train_s";

/** Places of the runs that no other beats: as accurate at less cost, or more accurate at as much. */
export function front(found: Comparison, cost: Cost): Set<number> {
  const points = found.runs.map((run) => ({ gain: run.accuracy ?? -1, cost: run[cost] ?? Infinity }));
  const beaten = (one: (typeof points)[number]) =>
    points.some(
      (other) =>
        other.gain >= one.gain && other.cost <= one.cost && (other.gain > one.gain || other.cost < one.cost),
    );
  return new Set(points.flatMap((point, place) => (beaten(point) ? [] : [place])));
}

export interface ComparedLine {
  readonly path: string;
  readonly end: { readonly x: number; readonly y: number };
}

/** One figure of several runs over their epochs, on common axes. */
export function comparedLines(
  epochs: readonly (readonly Epoch[])[],
  figure: string,
  width: number,
  height: number,
): { lines: ComparedLine[]; low: number; high: number; last: number } {
  const values = epochs.map((run) => run.map((epoch) => epoch.figures[figure] ?? 0));
  const all = values.flat();
  const last = Math.max(1, ...epochs.map((run) => run.length));
  const high = figure.endsWith("accuracy") ? 1 : Math.max(...all, 0.001);
  const low = figure.endsWith("accuracy") ? Math.min(1, ...all) : 0;
  const x = (place: number) => (last > 1 ? (place / (last - 1)) * width : 0);
  const y = (value: number) => height - ((value - low) / (high - low || 1)) * height;
  const lines = values.map((run) => ({
    path: run.map((value, n) => `${n ? "L" : "M"}${x(n).toFixed(1)} ${y(value).toFixed(1)}`).join(""),
    end: { x: x(run.length - 1), y: y(run[run.length - 1] ?? low) },
  }));
  return { lines, low, high, last };
}

export function accuracyWords(run: Comparison["runs"][number]): string {
  if (run.accuracy === null) return "–";
  const [low = 0, high = 1] = run.accuracy_interval;
  return `${run.right} of ${run.count}, ${score(low)}–${score(high)}`;
}
