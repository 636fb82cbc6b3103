/** How a run stands to the one before it, in a sentence. */
import type { Run } from "../api/client";
import { plural, score } from "./words";

/** Curves that move by less than this share of their gap are as close as before. */
const ALIKE = 0.1;

function gap({ figures }: Run): number | undefined {
  const { training_loss: training, validation_loss: validation } = figures;
  return training === undefined || validation === undefined ? undefined : Math.abs(validation - training);
}

function curves(run: Run, before: Run): string {
  const [now, then] = [gap(run), gap(before)];
  if (now === undefined || then === undefined || Math.abs(now - then) <= ALIKE * then) return "";
  return now < then ? "closer curves" : "curves further apart";
}

/**
 * "Beside run 1: closer curves, and better: 0.951 against 0.937, 3 pictures more." Empty where there is nothing to hold
 * against; pictures are counted where both were judged on as many.
 */
export function besideBefore(run: Run, before: Run | undefined): string {
  if (!run.validation || !before?.validation) return "";
  const [now, then] = [run.validation, before.validation];
  const more = now.right - then.right;
  const verdict =
    now.accuracy > then.accuracy ? "better" : now.accuracy < then.accuracy ? "worse" : "as good";
  const by =
    now.count !== then.count
      ? `, of ${now.count} pictures and ${then.count}`
      : more === 0
        ? ""
        : `, ${plural(Math.abs(more), "picture")} ${more > 0 ? "more" : "fewer"}`;
  const seen = curves(run, before);
  const judged =
    verdict === "as good"
      ? `as good at ${score(now.accuracy)}`
      : `${verdict}: ${score(now.accuracy)} against ${score(then.accuracy)}`;
  return `Beside run ${before.number}: ${seen ? `${seen}, and ` : ""}${judged}${by}.`;
}
