/** The ends of a range that is searched. */
import { useId } from "react";
import type { Knob, KnobOffer } from "../../api/client";
import { useNumberText } from "../../parts/useNumberText";

interface Props {
  knob: Knob;
  offer: KnobOffer | undefined;
  onChange: (knob: Knob) => void;
}

export function KnobRange({ knob, offer, onChange }: Props) {
  const whole = offer?.kind === "whole";
  return (
    <span className="flex flex-wrap items-baseline gap-2">
      <End
        label={`${knob.words}, from`}
        words="from"
        whole={whole}
        value={knob.low}
        onChange={(low) => onChange({ ...knob, low })}
      />
      <End
        label={`${knob.words}, to`}
        words="to"
        whole={whole}
        value={knob.high}
        onChange={(high) => onChange({ ...knob, high })}
      />
      {!whole && (
        <label className="flex cursor-pointer items-center gap-1 text-sm text-quiet">
          <input
            type="checkbox"
            checked={knob.by_ratio}
            onChange={(event) => onChange({ ...knob, by_ratio: event.target.checked })}
          />
          by ratio
        </label>
      )}
    </span>
  );
}

interface EndProps {
  label: string;
  words: string;
  whole: boolean;
  value: number;
  onChange: (value: number) => void;
}

function End({ label, words, whole, value, onChange }: EndProps) {
  const id = useId();
  const { good, mend, field } = useNumberText(
    value,
    { min: -1e6, max: 1e6, step: whole ? 1 : "any" },
    onChange,
  );
  return (
    <span className="flex items-baseline gap-1">
      <label htmlFor={id} className="text-sm text-quiet">
        {words}
      </label>
      <input
        {...field}
        id={id}
        aria-label={label}
        title={good ? undefined : mend}
        aria-invalid={!good}
        className="rounded-control w-24 border border-edge bg-surface px-1.5 py-0.5 text-right font-mono aria-invalid:border-wrong"
      />
    </span>
  );
}
