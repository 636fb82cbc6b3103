/** All classes ranked on one ruler, with a line where an answer is sure enough. */
import type { Model } from "../../api/client";
import { usePlace } from "../../app/context";
import type { Ranked } from "../../domain/ranking";
import { ProbabilityBars, RulerScale } from "../../parts/ProbabilityBars";

export function Ruler(props: { order: readonly Ranked[]; model: Model; threshold: number }) {
  const { order, model, threshold } = props;
  const { classes } = usePlace();
  return (
    <div className="relative min-w-0 flex-1" data-testid="probabilities">
      <div
        className="absolute top-0 bottom-6 w-px bg-choice"
        style={{ left: `${Math.min(1, threshold) * 100}%` }}
        aria-hidden="true"
      />
      <ProbabilityBars
        order={order}
        model={model}
        classes={classes}
        colour={(entry) => (entry.p >= threshold ? "var(--good)" : "var(--edge)")}
      />
      <RulerScale />
    </div>
  );
}
