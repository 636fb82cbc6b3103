/** Findings in words, and which of them the address shows. */
import type { FindingLine, Findings, Histogram } from "../api/client";
import { duration, plural } from "./words";

/** Rows of the field, by the kind that they stand for. */
export const FOUND_ROWS: Record<string, string> = {
  label: "Probably another class",
  dark: "Darker than its class",
  blurred: "More blurred than its class",
  "cut-off": "Goes on beyond its rim",
  flat: "Less contrast than its class",
  noisy: "Noisier than its class",
  bright: "Brighter than its class",
  tiny: "Smaller than its class",
  "odd-shape": "Another shape than its class",
  alone: "Alone in its class",
};

/** What a press on the line in Rows' head shows. */
export const ALL_FOUND = "finding:any order:-finding";

/** The kind that a Sift asks for alone. */
export function kindOf(sift: string): string | undefined {
  const kind = /(?:^|\s)finding:([a-z-]+)/.exec(sift)?.[1];
  return kind === "any" || kind === "dismissed" ? undefined : kind;
}

/** How many things wait to be settled: pictures of each kind, and what is no matter of single pictures. */
export function toSettle(findings: Findings): number {
  return findings.lines.reduce((sum, line) => sum + (line.hidden ? 0 : line.count), 0);
}

/** Lines with something to settle, and the rest. */
export function partedLines(findings: Findings): { open: FindingLine[]; rest: FindingLine[] } {
  const open = findings.lines.filter((line) => line.count > 0 && !line.hidden);
  return { open, rest: findings.lines.filter((line) => !open.includes(line)) };
}

export function expectedWords(line: FindingLine): string {
  if (line.expected === null || !line.count) return "";
  const count = Math.round(line.expected);
  return count ? `about ${count} of them by chance` : "hardly one of them by chance";
}

/** What stands behind the labels that are doubted. */
export function answersWords(findings: Findings): string {
  const { answers } = findings;
  if (!answers) return "No network has answered about these pictures, so no label is held against anything.";
  const by = answers.folds ? `folds (run ${answers.run})` : `run ${answers.run}`;
  return `Labels are held against what ${by} answered on ${plural(answers.answers, "picture")} that it had not learnt from.`;
}

export function foldsWords({ folds }: Findings): string {
  const time = folds.seconds === null ? "" : `, about ${duration(folds.seconds)}`;
  return `${plural(folds.trainings, "training")} of ${folds.network}${time}`;
}

export interface Range {
  readonly low: number;
  readonly high: number;
}

/** Between which values the bars from one to another lie. */
export function rangeOfBars(found: Histogram, one: number, other: number): Range {
  const [first, last] = one <= other ? [one, other] : [other, one];
  return { low: found.bounds[first] ?? 0, high: found.bounds[last + 1] ?? 0 };
}

/** The Sift that shows what lies in a range of a measure, the strangest first. */
export function siftOfRange(measure: string, range: Range, falling: boolean): string {
  const told = (value: number) => Number(value.toPrecision(4));
  return `${measure}>=${told(range.low)} ${measure}<=${told(range.high)} order:${falling ? "-" : ""}${measure}`;
}

/** The range of a measure that a Sift asks for. */
export function rangeOfSift(sift: string, measure: string): Range | undefined {
  const low = new RegExp(`(?:^|\\s)${measure}>=([0-9.e-]+)`).exec(sift)?.[1];
  const high = new RegExp(`(?:^|\\s)${measure}<=([0-9.e-]+)`).exec(sift)?.[1];
  return low !== undefined && high !== undefined ? { low: Number(low), high: Number(high) } : undefined;
}

const MEASURES: Record<string, string> = {
  light: "light",
  span: "contrast",
  blur: "radius of the blur, at a side of 96 pixels",
  noise: "noise",
  cut: "share of the rim that is cut",
  side: "longer side in pixels",
  shape: "width over height",
};

export function measureWords(measure: string): string {
  return MEASURES[measure] ?? measure;
}
