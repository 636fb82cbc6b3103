/** The curves of a run as geometry, and what can be said of them in words. */
import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import type { Epoch } from "../api/client";

export type Measure = "loss" | "accuracy";

export interface CurvePoint {
  readonly epoch: number;
  readonly training: number;
  readonly validation: number;
}

export interface CurveGeometry {
  readonly training: string;
  readonly validation: string;
  readonly gap: string;
  readonly xTicks: readonly { at: number; label: string }[];
  readonly yTicks: readonly { at: number; label: string }[];
  readonly x: (epoch: number) => number;
  readonly y: (value: number) => number;
}

export function curvePoints(epochs: readonly Epoch[], measure: Measure): CurvePoint[] {
  return epochs.map((entry) => ({
    epoch: entry.number,
    training: entry.figures[`training_${measure}`] ?? 0,
    validation: entry.figures[`validation_${measure}`] ?? 0,
  }));
}

/** Lines and axes within a box; the axis of epochs reaches to the planned end from the start. */
export function curveGeometry(
  points: readonly CurvePoint[],
  measure: Measure,
  epochs: number,
  box: { left: number; top: number; right: number; bottom: number },
): CurveGeometry {
  const x = scaleLinear()
    .domain([1, Math.max(2, epochs)])
    .range([box.left, box.right]);
  const values = points.flatMap((point) => [point.training, point.validation]);
  const low = measure === "accuracy" ? Math.min(0.9, ...values) : 0;
  // One bad first epoch must not press the rest of the loss onto the axis.
  const usual = [...values].sort((a, b) => a - b)[Math.floor(values.length * 0.97)] ?? 1;
  const high = measure === "accuracy" ? 1 : Math.max(0.1, usual * 1.08);
  const y = scaleLinear()
    .domain([Math.max(0, low), high])
    .nice(5)
    .range([box.bottom, box.top])
    .clamp(true);
  const along = (pick: (point: CurvePoint) => number) =>
    line<CurvePoint>()
      .x((point) => x(point.epoch))
      .y((point) => y(pick(point)))([...points]) ?? "";
  const between = area<CurvePoint>()
    .x((point) => x(point.epoch))
    .y0((point) => y(point.training))
    .y1((point) => y(point.validation));
  const whole = x.ticks(Math.min(8, epochs)).filter(Number.isInteger);
  return {
    training: along((point) => point.training),
    validation: along((point) => point.validation),
    gap: between([...points]) ?? "",
    xTicks: whole.map((value) => ({ at: x(value), label: String(value) })),
    yTicks: y.ticks(5).map((value) => ({ at: y(value), label: value.toFixed(measure === "loss" ? 1 : 2) })),
    x: (epoch) => x(epoch),
    y: (value) => y(value),
  };
}

/** The last few epochs must all lie above the lowest validation loss before it counts as turned. */
const TURNED_AFTER = 4;

function loss(epoch: Epoch, of: "training" | "validation" = "validation"): number {
  return epoch.figures[`${of}_loss`] ?? 0;
}

function lowest(epochs: readonly Epoch[]): Epoch | undefined {
  let best: Epoch | undefined;
  for (const entry of epochs) if (!best || loss(entry) < loss(best)) best = entry;
  return best;
}

/** The epoch with the lowest validation loss, once it has been followed by worse ones only. */
export function turningEpoch(epochs: readonly Epoch[]): number | undefined {
  const best = lowest(epochs);
  const last = epochs[epochs.length - 1];
  return best && last && last.number - best.number >= TURNED_AFTER ? best.number : undefined;
}

/** Said when validation loss lies far above training loss; the bounds are where a person would see it in the plot. */
export function gapWords(epochs: readonly Epoch[]): string {
  const last = epochs[epochs.length - 1];
  if (!last || epochs.length < 4) return "";
  const gap = loss(last) - loss(last, "training");
  if (gap <= 0.15 + loss(last, "training") * 0.6) return "";
  return "Validation loss lies far above training loss: the network begins to learn these pictures by heart.";
}

/** What a practitioner would say of the curves. */
export function curveWords(epochs: readonly Epoch[], kept: number | null): string {
  const last = epochs[epochs.length - 1];
  if (!last) return "The first epoch is under way.";
  const turned = turningEpoch(epochs);
  const parts: string[] = [];
  const best = lowest(epochs);
  if (turned !== undefined) parts.push(`Validation loss has not fallen since epoch ${turned}.`);
  else if (best?.number === last.number && epochs.length > 1) parts.push("Validation loss is still falling.");
  else if (best) parts.push(`Validation loss was lowest in epoch ${best.number} so far.`);
  parts.push(gapWords(epochs));
  if (kept !== null) parts.push(`Epoch ${kept} is kept.`);
  return parts.filter(Boolean).join(" ");
}
