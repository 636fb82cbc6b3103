import type { JudgedSet, Judgement } from "../../api/client";
import { plural, score } from "../../domain/words";

interface Props {
  set: JudgedSet;
  judgement: Judgement;
  /** The division has a test set. */
  tested: boolean;
  /** Each picture was answered by the fold that held it out. */
  byFolds: boolean;
}

function ofSet(set: JudgedSet, count: number, byFolds: boolean): string {
  if (byFolds) return plural(count, "held-out picture");
  return set === "outside" ? `${plural(count, "picture")} in no set` : plural(count, `${set} picture`);
}

/** Accuracy with its weight: the counts, the interval, and what naming the largest class alone would give. */
export function Verdict({ set, judgement, tested, byFolds }: Props) {
  const [low, high] = judgement.accuracy_interval;
  return (
    <p data-testid="verdict">
      <b className="text-xl">{score(judgement.accuracy)}</b> on {ofSet(set, judgement.count, byFolds)}:{" "}
      {judgement.right.toLocaleString("en")} right,{" "}
      <span className="text-wrong">{(judgement.count - judgement.right).toLocaleString("en")} wrong</span>
      <span className="text-quiet">
        {" "}
        · 95 % between {score(low)} and {score(high)} · the largest class alone{" "}
        {score(judgement.largest_class_share)} · loss {score(judgement.loss)} · macro F1{" "}
        {score(judgement.macro_f1)}
        {!tested &&
          !byFolds &&
          " · without a test set nothing is claimed of pictures that had no say in any choice"}
      </span>
    </p>
  );
}
