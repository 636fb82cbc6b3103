/** How sure the figures of a judged set are: in words, and as geometry. */
import type { Aim, Answered, Calibration, Model, Sureness } from "../api/client";
import { percent, probability, score } from "./words";

export type Interval = readonly [number, number];

/** The API sends pairs as lists. */
export function pair(interval: readonly number[] | null | undefined): Interval | undefined {
  const [low, high] = interval ?? [];
  return low === undefined || high === undefined ? undefined : [low, high];
}

export function intervalWords(interval: Interval | undefined): string {
  return interval ? `${score(interval[0])}–${score(interval[1])}` : "–";
}

/** The figures that are shares; the others have no common ruler. */
export function isShare(name: string): boolean {
  return name !== "loss" && name !== "Brier score";
}

/** Where a ruler for shares begins, so that intervals near 1 are told apart: a tenth below the lowest, rounded down. */
export function rulerStart(intervals: readonly (Interval | undefined)[]): number {
  const lows = intervals.flatMap((entry) => (entry ? [entry[0]] : []));
  return Math.max(0, Math.floor(Math.min(1, ...lows) * 10 - 0.5) / 10);
}

/** Surer than right, or less sure, and whether chance explains it. */
export function calibrationWords(found: Calibration): string {
  const count = found.bins.reduce((sum, bin) => sum + bin.count, 0);
  const said = found.bins.reduce((sum, bin) => sum + bin.mean * bin.count, 0) / count;
  const right = found.bins.reduce((sum, bin) => sum + bin.right, 0) / count;
  const mean = `Answers say ${score(said)} in the mean, and ${score(right)} of them are right`;
  if (found.error <= found.error_if_true_high)
    return `${mean}: no further off than chance explains with ${count.toLocaleString("en")} pictures.`;
  return `${mean}: ${said > right ? "surer than it should be" : "less sure than it could be"}.`;
}

/** What the temperature brings. */
export function temperatureWords(sure: Sureness): string {
  if (sure.temperature === null) return "Without an error there is nothing to fit a temperature on.";
  const way = sure.temperature > 1 ? "makes answers less sure" : "makes answers surer";
  const how = sure.cross_fitted ? ", each fifth of the pictures by the other four" : "";
  return `Temperature ${sure.temperature.toFixed(2)} ${way}${how}.`;
}

/** "answers 91 %, 0.987 of them right, 0.970–0.994" */
export function answeredWords(found: Answered, count: number): string {
  if (!found.answered) return "answers nothing";
  const right = score(found.right / found.answered);
  return `answers ${percent(found.answered, count)}, ${right} of them right, ${intervalWords(pair(found.interval))}`;
}

/** What an aim asks, and what it brings. */
export function aimWords(aim: Aim, count: number, byClass: boolean): string {
  const brings = (found: Answered) => {
    const short = found.answered > 0 && found.right < aim.wanted * found.answered;
    return `${answeredWords(found, count)}${short ? ", which falls short" : ""}`;
  };
  if (byClass) return `by class: ${brings(aim.counted_by_class)}`;
  if (aim.below === null) return "in all: no threshold reaches it";
  return `in all, below ${aim.below}: ${brings(aim.counted)}`;
}

/** Some class has a threshold of its own that can be reached. */
export function reachesByClass(aim: Aim): boolean {
  return Object.values(aim.by_class).some((below) => below !== null);
}

/** The one threshold of a model, if it has one. */
export function oneThreshold(model: Model): number | undefined {
  const [first, ...rest] = model.unsure_below ?? [];
  return typeof first === "number" && rest.every((other) => other === first) ? first : undefined;
}

/** Under which probability a model says "unsure" of an answer of a class; 1 and more: always. */
export function thresholdOf(model: Model, place: number): number {
  const below = model.unsure_below?.[place];
  return below === undefined ? 0 : (below ?? 2);
}

/** What was set for the model. */
export function unsureWords(model: Model): string {
  if (!model.unsure_below) return "This model never says “unsure”.";
  const one = oneThreshold(model);
  if (one !== undefined) return `This model says “unsure” below ${one}.`;
  const each = model.unsure_below.map((below, place) => {
    const name = model.classes[place]?.name ?? "";
    return below === null ? `${name} always` : `${name} ${below}`;
  });
  return `This model says “unsure” below: ${each.join(", ")}.`;
}

/** The place of the highest threshold that is not above a probability. */
export function postAt(thresholds: readonly number[], below: number): number {
  let place = 0;
  thresholds.forEach((threshold, index) => {
    if (threshold <= below) place = index;
  });
  return place;
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

export interface Whisker extends Point {
  readonly low: number;
  readonly high: number;
  readonly title: string;
}

/** Bins over their probability: the axis begins where the answers do, and both axes are alike. */
export function calibrationPoints(found: Calibration, start: number, side: number): Whisker[] {
  const at = (value: number) => ((Math.min(1, Math.max(start, value)) - start) / (1 - start)) * side;
  return found.bins.map((bin) => ({
    x: at(bin.mean),
    y: side - at(bin.right / bin.count),
    low: side - at(bin.interval[0] ?? 0),
    high: side - at(bin.interval[1] ?? 1),
    title: `${bin.right} of ${bin.count} right, said ${probability(bin.mean)} in the mean`,
  }));
}

/** Where both axes of the calibration begin: below the lowest bin of either. */
export function calibrationStart(...found: readonly Calibration[]): number {
  const values = found.flatMap((entry) => entry.bins.flatMap((bin) => [bin.mean, bin.right / bin.count]));
  return Math.max(0, Math.min(0.9, Math.floor(Math.min(...values) * 10) / 10));
}

export interface AnsweringLine {
  /** One a threshold, from the left, where nothing is answered, to the right. */
  readonly points: readonly Point[];
  readonly line: string;
  readonly band: string;
  readonly floor: number;
}

/** The share that is right over the share that is answered, with its interval as a band. */
export function answeringLine(
  answering: Sureness["answering"],
  width: number,
  height: number,
): AnsweringLine {
  const some = answering.posts.filter((post) => post.answered > 0);
  const floor = rulerStart(some.filter((post) => post.answered >= 10).map((post) => pair(post.interval)));
  const y = (share: number) => height - ((Math.max(floor, share) - floor) / (1 - floor)) * height;
  const x = (post: Answered) => (post.answered / answering.count) * width;
  const points = answering.posts.map((post) => ({
    x: x(post),
    y: post.answered ? y(post.right / post.answered) : 0,
  }));
  const path = (list: readonly Point[]) =>
    list.map(({ x, y }, n) => `${n ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");
  const edge = (which: 0 | 1) => some.map((post) => ({ x: x(post), y: y(post.interval[which] ?? 0) }));
  return {
    points,
    line: path(points.slice(0, some.length)),
    band: `${path([...edge(1), ...edge(0).reverse()])}Z`,
    floor,
  };
}
