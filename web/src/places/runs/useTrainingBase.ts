/** Which pictures a training would stand on: those of the split, or as they would be divided at the start. */
import type { Split } from "../../api/client";
import { useDivisionAhead, useSplitChecks } from "../../api/ingredientQueries";
import { setTotals, type TrainingBase } from "../../domain/trainingBase";

/** Undefined until it is known, and where there is too little to divide. */
export function useTrainingBase(
  projectId: number,
  split: Split | undefined,
  seed: number,
): TrainingBase | undefined {
  const checks = useSplitChecks(projectId, split?.id);
  const ahead = useDivisionAhead(projectId, seed, !split);
  if (split) {
    const name = `split ${split.number}`;
    return { name, sets: setTotals(split.counts), leftOut: checks.data?.left_out ?? {} };
  }
  if (!ahead.data) return undefined;
  const name = ahead.data.method === "folders" ? "as the folders came" : "at random when you train";
  return { name, sets: setTotals(ahead.data.counts), leftOut: ahead.data.left_out };
}
