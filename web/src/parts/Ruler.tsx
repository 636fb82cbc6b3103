/** All classes ranked on one ruler, with a line where an answer is sure enough, if there is such a place. */
import type { Ranked } from "../domain/ranking";
import { ProbabilityBars, RulerScale, type Sign } from "./ProbabilityBars";

interface Props {
  order: readonly Ranked[];
  sign: (place: number) => Sign;
  threshold: number;
}

export function Ruler({ order, sign, threshold }: Props) {
  return (
    <div className="relative min-w-0 flex-1" data-testid="probabilities">
      {threshold > 0 && (
        <div
          className="absolute top-0 bottom-6 w-px bg-choice"
          style={{ left: `${Math.min(1, threshold) * 100}%` }}
          aria-hidden="true"
        />
      )}
      <ProbabilityBars
        order={order}
        sign={sign}
        colour={(entry, rank) => ((threshold ? entry.p >= threshold : !rank) ? "var(--good)" : "var(--edge)")}
      />
      <RulerScale />
    </div>
  );
}
