/** The list of values that are tried: chosen among a few, or typed as numbers. */
import { useState } from "react";
import type { Knob, KnobOffer } from "../../api/client";
import { type KnobValue, typedValues, valueWords } from "../../domain/plans";

interface Props {
  knob: Knob;
  offer: KnobOffer | undefined;
  onChange: (knob: Knob) => void;
}

export function KnobValues({ knob, offer, onChange }: Props) {
  const typed = offer?.kind === "number" || offer?.kind === "whole";
  return typed ? (
    <Typed knob={knob} kind={offer.kind} onChange={onChange} />
  ) : (
    <Among knob={knob} values={offer?.values ?? knob.values} onChange={onChange} />
  );
}

function Among(props: { knob: Knob; values: readonly KnobValue[]; onChange: (knob: Knob) => void }) {
  const { knob, values, onChange } = props;
  const toggle = (value: KnobValue, on: boolean) => {
    // In the order in which they are offered; the last one stays, for a knob has a value.
    const chosen = values.filter((known) => (known === value ? on : knob.values.includes(known)));
    if (chosen.length) onChange({ ...knob, values: chosen });
  };
  return (
    <span className="flex flex-wrap gap-x-4 gap-y-1">
      {values.map((value) => (
        <label key={String(value)} className="flex cursor-pointer items-center gap-1">
          <input
            type="checkbox"
            checked={knob.values.includes(value)}
            onChange={(event) => toggle(value, event.target.checked)}
          />
          {valueWords(value)}
        </label>
      ))}
    </span>
  );
}

function Typed(props: { knob: Knob; kind: KnobOffer["kind"]; onChange: (knob: Knob) => void }) {
  const { knob, kind, onChange } = props;
  const own = knob.values.map(String).join(", ");
  const [text, setText] = useState(own);
  const good = typedValues(text, kind) !== undefined;
  return (
    <input
      aria-label={`${knob.words}, values`}
      title={good ? "Numbers, with commas between" : "Write numbers with commas between them"}
      aria-invalid={!good}
      value={text}
      onChange={(event) => {
        setText(event.target.value);
        const values = typedValues(event.target.value, kind);
        if (values) onChange({ ...knob, values });
      }}
      className="rounded-control w-full max-w-[360px] border border-edge bg-surface px-1.5 py-0.5 font-mono aria-invalid:border-wrong"
    />
  );
}
