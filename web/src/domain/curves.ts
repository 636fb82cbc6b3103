/** What can be said of a run's curves in words. */
import type { Epoch } from "../api/client";

function loss(epoch: Epoch, of: "training" | "validation" = "validation"): number {
  return epoch.figures[`${of}_loss`] ?? 0;
}

function lowest(epochs: readonly Epoch[]): Epoch | undefined {
  let best: Epoch | undefined;
  for (const entry of epochs) if (!best || loss(entry) < loss(best)) best = entry;
  return best;
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
export function curveWords(
  epochs: readonly Epoch[],
  kept: number | null,
  turned: number | null | undefined,
): string {
  const last = epochs[epochs.length - 1];
  if (!last) return "The first epoch is under way.";
  const parts: string[] = [];
  const best = lowest(epochs);
  if (turned) parts.push(`Validation loss has not fallen since epoch ${turned}.`);
  else if (best?.number === last.number && epochs.length > 1) parts.push("Validation loss is still falling.");
  else if (best) parts.push(`Validation loss was lowest in epoch ${best.number} so far.`);
  parts.push(gapWords(epochs));
  if (kept !== null) parts.push(`Epoch ${kept} is kept.`);
  return parts.filter(Boolean).join(" ");
}
