/** How a plan is carried out: in which order, how many, who is dropped, for how long. */
import { FIGURES } from "../../domain/plans";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { Tick } from "../../parts/Tick";
import type { PlanDraft, Way } from "./usePlanDraft";

const WAYS: readonly { value: Way; label: string; title: string }[] = [
  { value: "spread", label: "evenly spread", title: "Evenly spread: no region is left out for long" },
  { value: "random", label: "at random", title: "At random: each drawn by itself" },
  { value: "all", label: "all", title: "All combinations, each once" },
];

interface Props {
  draft: PlanDraft;
  epochs: number;
  /** Combinations that there are; null without end. */
  possible: number | null | undefined;
}

export function PlanningFields({ draft, epochs, possible }: Props) {
  return (
    <>
      {draft.kind === "trials" && <SearchFields draft={draft} epochs={epochs} possible={possible} />}
      {draft.kind === "folds" && (
        <>
          <NumberField
            label="Folds"
            help="Parts; each is held out once. 5 or 10 is usual."
            value={draft.folds}
            min={2}
            max={50}
            onChange={(folds) => draft.set({ folds })}
          />
          <NumberField
            label="Rounds"
            help="How often the parts are drawn and trained anew; more make the interval smaller."
            value={draft.rounds}
            min={1}
            max={20}
            onChange={(rounds) => draft.set({ rounds })}
          />
        </>
      )}
      {draft.kind === "copies" && (
        <NumberField
          label="Seeds"
          help="Trainings that differ by nothing but their seed; 3 to 10 is usual."
          value={draft.copies}
          min={2}
          max={50}
          onChange={(copies) => draft.set({ copies })}
        />
      )}
      <NumberField
        label="Minutes of training"
        help="After that no further one begins. 0 is no limit."
        value={draft.minutes}
        min={0}
        max={100_000}
        step="any"
        onChange={(minutes) => draft.set({ minutes })}
      />
      {draft.kind !== "copies" && (
        <Tick
          label="Go on by itself to final training"
          help="On training and validation together; the test set stays shut."
          guide="plans#final-training"
          on={draft.goOn}
          onChange={(goOn) => draft.set({ goOn })}
        />
      )}
    </>
  );
}

function SearchFields({ draft, epochs, possible }: Props) {
  return (
    <>
      <div className="mb-3 flex flex-col gap-2">
        <Choice
          label="Tried"
          value={draft.way}
          options={WAYS.map(({ value, label, title }) => ({ value, label, title }))}
          onChange={(way) => draft.set({ way })}
        />
        <Choice
          label="Compared by"
          value={draft.by}
          options={FIGURES.map(({ value, words }) => ({ value, label: words, title: words }))}
          onChange={(by) => draft.set({ by })}
        />
      </div>
      {draft.way !== "all" && (
        <NumberField
          label="Trials"
          help={
            possible
              ? `Of ${possible.toLocaleString("en")} combinations; 20 to 60 is usual.`
              : "20 to 60 is usual."
          }
          value={draft.trials}
          min={1}
          max={1000}
          onChange={(trials) => draft.set({ trials })}
        />
      )}
      <Tick
        label="Drop the weak ones early"
        help="They are compared at the same epoch, and those that go on go on from where they are."
        guide="plans#early-dropping"
        on={draft.dropping}
        onChange={(dropping) => draft.set({ dropping })}
      />
      {draft.dropping && (
        <div className="mt-2 ml-6">
          <NumberField
            label="One goes on of"
            help="3 or 4 is usual."
            value={draft.factor}
            min={2}
            max={10}
            onChange={(factor) => draft.set({ factor })}
          />
          <NumberField
            label="First compared after"
            help={`Epochs, about; the whole budget is ${epochs}.`}
            value={Math.min(draft.least, epochs)}
            min={1}
            max={epochs}
            onChange={(least) => draft.set({ least })}
          />
          <Tick
            label="Repeatable"
            help="All wait for the last one at each comparison: the same winner on any number of workers."
            guide="plans#repeatable"
            on={draft.waits}
            onChange={(waits) => draft.set({ waits })}
          />
        </div>
      )}
    </>
  );
}
