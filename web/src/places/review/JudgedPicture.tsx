import type { Model, Outcome } from "../../api/client";
import { usePlace } from "../../app/context";
import { ranked } from "../../domain/ranking";
import { ProbabilityBars } from "../../parts/ProbabilityBars";
import { Sheet } from "../../parts/Sheet";

/** One judged picture enlarged, with every class's probability on one ruler. */
export function JudgedPicture({
  outcome,
  model,
  onClose,
}: {
  outcome: Outcome;
  model: Model;
  onClose: () => void;
}) {
  const { classes } = usePlace();
  const truth = model.classes.findIndex((entry) => entry.id === outcome.true_class);
  const order = ranked(
    model.classes.map((entry) => entry.name),
    outcome.probabilities,
  );
  return (
    <Sheet title={outcome.name} open wide onClose={onClose}>
      <div className="flex gap-6">
        <img
          src={`/api/originals/${outcome.sha256}`}
          alt={outcome.name}
          className="h-[380px] w-[380px] bg-sunken object-contain"
          style={{ imageRendering: "pixelated" }}
        />
        <div className="flex-1">
          <ProbabilityBars
            order={order}
            model={model}
            classes={classes}
            colour={(entry, rank) =>
              entry.place === truth ? "var(--good)" : rank === 0 ? "var(--wrong)" : "var(--edge)"
            }
            note={(entry) => (entry.place === truth ? " (true)" : "")}
          />
        </div>
      </div>
    </Sheet>
  );
}
