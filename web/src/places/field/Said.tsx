/** What the run on show said of a picture, beside what it was judged against. */
import type { ClassOf, Model, PictureDetail } from "../../api/client";
import { answerSentence, ranked } from "../../domain/ranking";
import { setWords } from "../../domain/words";
import { ProbabilityBars, RulerScale, signsOf } from "../../parts/ProbabilityBars";

interface Props {
  said: NonNullable<PictureDetail["said"]>;
  model: Model;
  classes: readonly ClassOf[];
}

/** Of many classes, further ones say nothing that is worth their room. */
const MOST = 10;

export function Said({ said, model, classes }: Props) {
  const truth = model.classes.findIndex((entry) => entry.id === said.true_class);
  const order = ranked(
    model.classes.map((entry) => entry.name),
    said.probabilities,
  );
  const shown = order.filter((entry, rank) => rank < MOST || entry.place === truth);
  const threshold = thresholdOf(said, model);
  // Thresholds are said of calibrated probabilities; what is told here are the plain ones.
  const unsure = (said.calibrated ?? said.p) < threshold;
  const wrong = said.true_class !== null && said.true_class !== said.predicted_class;
  return (
    <section className="mb-3" data-testid="said">
      <p className={`mb-2 text-sm ${wrong ? "text-wrong" : ""}`}>
        Run {said.run}, {setWords(said.set_name)}: {answerSentence(order, unsure ? Infinity : 0).text}.
        {said.loss === null ? " It had no label." : ` Loss ${said.loss.toFixed(2)}.`}
      </p>
      <ProbabilityBars
        order={shown}
        sign={signsOf(model, classes)}
        colour={(entry, rank) =>
          entry.place === truth
            ? "var(--good)"
            : rank
              ? "var(--edge)"
              : truth < 0
                ? "var(--choice)"
                : "var(--wrong)"
        }
        note={(entry) => (entry.place === truth ? " (true)" : "")}
      />
      <RulerScale />
    </section>
  );
}

/** Under which probability an answer like this one is "unsure"; 0 where the model never says so. */
function thresholdOf(said: Props["said"], model: Model): number {
  if (!model.unsure_below) return 0;
  const place = model.classes.findIndex((entry) => entry.id === said.predicted_class);
  // A class without a threshold that does is never sure.
  return model.unsure_below[place] ?? 1.01;
}
