/** What the run on show said of a picture, beside what it was judged against. */
import type { ClassOf, Model, PictureDetail } from "../../api/client";
import { answerSentence, ranked } from "../../domain/ranking";
import { ProbabilityBars } from "../../parts/ProbabilityBars";

interface Props {
  said: NonNullable<PictureDetail["said"]>;
  model: Model;
  classes: readonly ClassOf[];
}

/** Further ones say nothing that is worth their room. */
const MOST = 4;

export function Said({ said, model, classes }: Props) {
  const truth = model.classes.findIndex((entry) => entry.id === said.true_class);
  const order = ranked(
    model.classes.map((entry) => entry.name),
    said.probabilities,
  );
  const shown = order.filter((entry, rank) => rank < MOST || entry.place === truth);
  const wrong = said.true_class !== said.predicted_class;
  return (
    <section className="mb-3" data-testid="said">
      <p className={`mb-2 text-sm ${wrong ? "text-wrong" : ""}`}>
        Run {said.run}, {said.set_name}: {answerSentence(order, 0).text}. Loss {said.loss.toFixed(2)}.
      </p>
      <ProbabilityBars
        order={shown}
        model={model}
        classes={classes}
        colour={(entry, rank) =>
          entry.place === truth ? "var(--good)" : rank === 0 ? "var(--wrong)" : "var(--edge)"
        }
        note={(entry) => (entry.place === truth ? " (true)" : "")}
      />
    </section>
  );
}
