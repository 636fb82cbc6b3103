/** What a division is made by: how, how much, what stays together, and the seed. */
import type { Proposal } from "../../api/client";
import { useIntervals } from "../../api/ingredientQueries";
import {
  countsPictures,
  type Division,
  isAsProposed,
  judgingCounts,
  restOf,
  sharesWords,
  type Together,
  trainingShare,
} from "../../domain/dividing";
import { plural, probability, SETS } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";
import { Tick } from "../../parts/Tick";

export interface FieldsProps {
  division: Division;
  onChange: (change: Partial<Division>) => void;
}

const TOGETHER: readonly { value: Together; label: string; title: string; help: string }[] = [
  { value: "nothing", label: "nothing", title: "Nothing", help: "Every picture is drawn for itself." },
  {
    value: "group",
    label: "series",
    title: "The grouping of the table",
    help: "Pictures with the same grouping key of the table that they came with are never cut apart.",
  },
  {
    value: "pattern",
    label: "name",
    title: "A part of the file name",
    help: "Write {group} where that part stands, {number} for digits, {any} for the rest.",
  },
  {
    value: "day",
    label: "day",
    title: "The day brought in",
    help: "What came on the same day (UTC) stays together.",
  },
];

export function RandomFields({ division, onChange }: FieldsProps) {
  const { together } = division;
  return (
    <>
      <Choice
        label="Amounts"
        value={division.by}
        onChange={(by) => onChange({ by })}
        options={[
          { value: "shares", label: "in percent", title: "In percent" },
          { value: "numbers", label: "in pictures", title: "In pictures; the rest is in no set" },
        ]}
      />
      <Choice
        label="Keep together"
        value={together}
        onChange={(next) => onChange({ together: next })}
        options={TOGETHER.map(({ value, label, title }) => ({ value, label, title }))}
      />
      <p className="text-sm text-quiet">
        <Help guide="dividing#keep-together">{TOGETHER.find((entry) => entry.value === together)?.help}</Help>
      </p>
      {together === "pattern" && (
        <input
          aria-label="Pattern of the file name"
          value={division.pattern}
          maxLength={200}
          onChange={(event) => onChange({ pattern: event.target.value })}
          className="rounded-control border border-edge bg-surface px-2 py-1 font-mono"
        />
      )}
      <Tick
        label="Copies stay in one set"
        guide="dividing#copies-stay-in-one-set"
        help="Copies in training and test make the test easier than life."
        on={division.keepCopies}
        onChange={(keepCopies) => onChange({ keepCopies })}
      />
      <Tick
        label="The same class shares in every set"
        guide="dividing#the-same-class-shares-in-every-set"
        help="Stratified: without it small classes may miss a set."
        on={division.stratified}
        onChange={(stratified) => onChange({ stratified })}
      />
    </>
  );
}

export function ShareFields({ division, onChange }: FieldsProps) {
  const training = trainingShare(division);
  return (
    <>
      <NumberField
        label="Validation, %"
        help="Compares runs. 10 to 20 is usual."
        guide="dividing#validation"
        value={division.validation}
        min={1}
        max={98}
        onChange={(validation) => onChange({ validation })}
      />
      <NumberField
        label="Test, %"
        help="Judges at the end. 10 to 20 is usual."
        guide="dividing#test"
        value={division.test}
        min={0}
        max={98}
        onChange={(test) => onChange({ test })}
      />
      <p className="mb-2 flex justify-between">
        <span>Training, %</span>
        <span className={`font-mono ${training < 1 ? "text-wrong" : ""}`}>{training}</span>
      </p>
      {training < 1 && (
        <p role="alert" className="text-sm text-wrong">
          Validation and test leave nothing to train on: together at most 99.
        </p>
      )}
    </>
  );
}

export function PictureFields({ division, labelled, onChange }: FieldsProps & { labelled: number }) {
  const rest = restOf(division, labelled);
  return (
    <>
      {SETS.map((set) => (
        <NumberField
          key={set}
          label={`${set[0]?.toUpperCase()}${set.slice(1)}, pictures`}
          help={set === "test" ? "0 is allowed." : "At least 1."}
          guide="dividing#amounts"
          value={division.numbers[set]}
          min={set === "test" ? 0 : 1}
          max={1_000_000}
          onChange={(count) => onChange({ numbers: { ...division.numbers, [set]: count } })}
        />
      ))}
      <p className={rest < 0 ? "text-wrong" : "text-quiet"} role={rest < 0 ? "alert" : undefined}>
        {rest < 0
          ? `${-rest} more than there are: ${labelled} are labelled.`
          : `${rest} of ${labelled} stay in no set.`}
      </p>
    </>
  );
}

interface WeightProps extends FieldsProps {
  proposal: Proposal;
  accuracy: number;
}

/** What sets of that size are good for, and what is proposed. */
export function Weight({ division, proposal, accuracy, onChange }: WeightProps) {
  const { shares, labelled } = proposal;
  const counts = judgingCounts(division, labelled);
  const intervals = useIntervals([counts.validation, counts.test], accuracy);
  const told = (set: "validation" | "test", place: number) => {
    const [low, high] = intervals.data?.[place] ?? [];
    if (!counts[set] || low === undefined || high === undefined) return null;
    return (
      <p>
        {plural(counts[set], `${set} picture`)}: an accuracy of {probability(accuracy)} means{" "}
        {probability(low)} to {probability(high)}.
      </p>
    );
  };
  return (
    <div className="mb-2 text-sm text-quiet" data-testid="weight">
      {told("validation", 0)}
      {told("test", 1)}
      {!countsPictures(division) && !isAsProposed(division, shares) && (
        <Button
          kind="bare"
          onClick={() =>
            onChange({
              validation: Math.round(shares.validation * 100),
              test: Math.round(shares.test * 100),
            })
          }
        >
          Take {sharesWords(shares)}, proposed for {plural(labelled, "picture")}
        </Button>
      )}
    </div>
  );
}
