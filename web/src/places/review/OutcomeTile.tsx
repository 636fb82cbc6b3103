/** A judged picture: its foot split in two where it was read wrongly, true class left, predicted right. */
import type { ClassOf, Model, Outcome } from "../../api/client";
import { classColour, colourPlace, signColour } from "../../domain/classColour";
import { probability } from "../../domain/words";

interface Props {
  outcome: Outcome;
  model: Model;
  classes: readonly ClassOf[];
  chosen: boolean;
  onChoose: () => void;
  onOpen: () => void;
}

export function OutcomeTile({ outcome, model, classes, chosen, onChoose, onOpen }: Props) {
  const facts = (id: number) => {
    const now = classes.find((entry) => entry.id === id);
    const then = model.classes.find((entry) => entry.id === id);
    return { name: then?.name ?? "?", sign: then?.sign ?? "?", place: colourPlace(now) };
  };
  const truth = facts(outcome.true_class);
  const predicted = facts(outcome.predicted_class);
  const wrong = outcome.true_class !== outcome.predicted_class;
  const mended = outcome.class_now !== outcome.true_class;
  const now =
    outcome.class_now === null ? "unlabelled" : classes.find((entry) => entry.id === outcome.class_now)?.name;
  return (
    <button
      type="button"
      role="option"
      aria-selected={chosen}
      data-outcome={outcome.picture_id}
      data-loss={outcome.loss}
      title={`${outcome.name}: ${truth.name}, read as ${predicted.name}, ${probability(outcome.p)}; loss ${outcome.loss.toFixed(2)}`}
      onClick={onChoose}
      onDoubleClick={onOpen}
      className={`w-[132px] cursor-pointer text-left ${chosen ? "outline-3 outline-choice" : ""}`}
    >
      <img
        src={`/api/thumbnails/${outcome.sha256}`}
        alt={outcome.name}
        draggable={false}
        className="h-[132px] w-[132px] bg-sunken object-contain"
      />
      <Foot truth={truth} predicted={wrong ? predicted : undefined} />
      <span className={`block truncate text-[12.5px] ${wrong ? "text-wrong" : "text-quiet"}`}>
        {wrong ? "read as " : "rightly "}
        {predicted.name}, {probability(outcome.p)}
      </span>
      {mended && <span className="block truncate text-sm text-choice">now {now}</span>}
    </button>
  );
}

interface ClassFacts {
  sign: string;
  place: number | undefined;
}

function Foot({ truth, predicted }: { truth: ClassFacts; predicted: ClassFacts | undefined }) {
  return (
    <span className="flex h-4.5 text-[11px] leading-[18px] font-bold">
      <span
        className="flex-1 px-1"
        style={{ background: classColour(truth.place), color: signColour(truth.place) }}
      >
        {truth.sign}
      </span>
      {predicted && (
        <span
          className="flex-1 border-l-2 border-surface px-1 text-right"
          style={{ background: classColour(predicted.place), color: signColour(predicted.place) }}
        >
          {predicted.sign}
        </span>
      )}
    </span>
  );
}
