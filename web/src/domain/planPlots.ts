/** The geometry of a plan's plots: curves of its trials, best so far, accuracy against cost. */
import type { RunPlan, Trial } from "../api/client";
import { scoreOf } from "./plans";

export interface Frame {
  readonly width: number;
  readonly height: number;
}

export interface Scale {
  readonly low: number;
  readonly high: number;
  readonly ticks: readonly number[];
  readonly at: (value: number) => number;
}

/** A scale over some values with a few round ticks; downwards on the page, as y goes. */
export function scaleOver(values: readonly number[], length: number, downwards: boolean): Scale {
  const known = values.filter(Number.isFinite);
  let [low, high] = [Math.min(...known), Math.max(...known)];
  if (!known.length) [low, high] = [0, 1];
  if (low === high) [low, high] = [low - Math.abs(low || 1) * 0.05, high + Math.abs(high || 1) * 0.05];
  const step = roundStep((high - low) / 5);
  const first = Math.ceil(low / step - 1e-9) * step;
  const ticks: number[] = [];
  for (let tick = first; tick <= high + step * 1e-6; tick += step) ticks.push(Number(tick.toPrecision(6)));
  const at = (value: number) => {
    const part = (value - low) / (high - low);
    return length * (downwards ? 1 - part : part);
  };
  return { low, high, ticks, at };
}

function roundStep(rough: number): number {
  const power = 10 ** Math.floor(Math.log10(rough || 1));
  const part = rough / power;
  return power * (part > 5 ? 10 : part > 2 ? 5 : part > 1 ? 2 : 1);
}

/** The values that most curves lie among: first epochs that are far off would press all others together. */
export function usualRange(curves: readonly (readonly (number | null)[])[]): number[] {
  const all = curves.flatMap((curve) => curve.filter((value): value is number => value !== null));
  if (all.length < 8) return all;
  const sorted = [...all].sort((one, two) => one - two);
  const quartile = (part: number) => sorted[Math.floor(part * (sorted.length - 1))] ?? 0;
  // Tukey 1977: what lies further than three quartile distances beside the middle half is far out.
  const far = 3 * (quartile(0.75) - quartile(0.25));
  const usual = sorted.filter((value) => value >= quartile(0.25) - far && value <= quartile(0.75) + far);
  return far ? usual : all;
}

/** A curve as the path of a line, bounded by the frame. */
export function curvePath(curve: readonly (number | null)[], x: Scale, y: Scale, frame: Frame): string {
  let pen = "M";
  let path = "";
  curve.forEach((value, n) => {
    if (value === null || !Number.isFinite(value)) {
      pen = "M";
      return;
    }
    const up = Math.min(frame.height, Math.max(0, y.at(value)));
    path += `${pen}${x.at(n + 1).toFixed(1)} ${up.toFixed(1)}`;
    pen = "L";
  });
  return path;
}

/** Best so far as steps: it holds until a better one comes. */
export function coursePath(plan: RunPlan, x: Scale, y: Scale): string {
  const points = plan.course;
  if (!points.length) return "";
  let path = "";
  points.forEach((point, n) => {
    const [at, up] = [x.at(point.spent_s).toFixed(1), y.at(point.value).toFixed(1)];
    path += n ? `H${at}V${up}` : `M${at} ${up}`;
  });
  return `${path}H${x.at(x.high).toFixed(1)}`;
}

export type Cost = "train_s" | "parameters";

export function costOf(trial: Trial, cost: Cost): number {
  return (cost === "train_s" ? trial.train_s : trial.parameters) ?? 0;
}

/** The trials that no other is both better and cheaper than, cheapest first; of those with the whole budget. */
export function unbeaten(plan: RunPlan, cost: Cost): readonly Trial[] {
  const known = plan.trials.filter((trial) => trial.whole && scoreOf(plan, trial) !== undefined);
  const sorted = [...known].sort(
    (one, two) =>
      costOf(one, cost) - costOf(two, cost) || (scoreOf(plan, two) ?? 0) - (scoreOf(plan, one) ?? 0),
  );
  const found: Trial[] = [];
  let best = -Infinity;
  for (const trial of sorted) {
    const own = scoreOf(plan, trial) ?? -Infinity;
    if (own > best) {
      found.push(trial);
      best = own;
    }
  }
  return found;
}
