/** What can be said of a run's curves in words. */
import type { Epoch } from "../api/client";

/** Medians of so many epochs tell where validation turned, and the lowest must lie as many epochs back. */
const TURNED_OVER = 5;

function loss(epoch: Epoch, of: "training" | "validation" = "validation"): number {
  return epoch.figures[`${of}_loss`] ?? 0;
}

function lowest(epochs: readonly Epoch[]): Epoch | undefined {
  let best: Epoch | undefined;
  for (const entry of epochs) if (!best || loss(entry) < loss(best)) best = entry;
  return best;
}

/**
 * The middle epoch of the lowest median of five validation losses, once that lies five epochs back and the newest
 * median is above it by more than the standard error of their difference: single leaps turn nothing.
 *
 * The spread is that of the losses around the medians they belong to; a median of n normal values has the variance
 * π/2 · σ²/n, and a difference of two twice that.
 */
export function turningEpoch(epochs: readonly Epoch[]): number | undefined {
  const losses = epochs.map((entry) => loss(entry));
  const medians = losses.slice(TURNED_OVER - 1).map((_, at) => median(losses.slice(at, at + TURNED_OVER)));
  const lowestAt = medians.indexOf(Math.min(...medians));
  const back = medians.length - 1 - lowestAt;
  if (medians.length < 2 || back < TURNED_OVER) return undefined;
  const rise = (medians[medians.length - 1] ?? 0) - (medians[lowestAt] ?? 0);
  const middle = (TURNED_OVER - 1) / 2;
  const off = medians.map((value, at) => (losses[at + middle] ?? value) - value);
  const spread = Math.sqrt(off.reduce((sum, value) => sum + value * value, 0) / off.length);
  const error = spread * Math.sqrt((Math.PI / 2 / TURNED_OVER) * 2);
  return rise > error ? epochs[lowestAt + middle]?.number : undefined;
}

function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;
}

/** Said when validation loss lies far above training loss; the bounds are where a person would see it in the plot. */
export function gapWords(epochs: readonly Epoch[]): string {
  const last = epochs[epochs.length - 1];
  if (!last || epochs.length < 4) return "";
  const gap = loss(last) - loss(last, "training");
  if (gap < -0.1 * loss(last))
    return "Training loss lies above validation loss: variation and dropout make the pictures harder in training only.";
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
