/** A number with its one line of help; what is typed counts when it is whole and in range. */
import { Description, Field, Input, Label } from "@headlessui/react";
import { useEffect, useState } from "react";

interface Props {
  label: string;
  help: string;
  value: number;
  min: number;
  max: number;
  step?: number | "any";
  onChange: (value: number) => void;
}

export function NumberField({ label, help, value, min, max, step = 1, onChange }: Props) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText((now) => (Number(now) === value ? now : String(value))), [value]);
  const parsed = Number(text);
  const good =
    text.trim() !== "" && parsed >= min && parsed <= max && (step !== 1 || Number.isInteger(parsed));
  return (
    <Field className="mb-2 grid grid-cols-[1fr_88px] items-baseline gap-x-2">
      <Label>{label}</Label>
      <Input
        inputMode="decimal"
        value={text}
        invalid={!good}
        onChange={(event) => {
          setText(event.target.value);
          const next = Number(event.target.value);
          if (
            event.target.value.trim() &&
            next >= min &&
            next <= max &&
            (step !== 1 || Number.isInteger(next))
          ) {
            onChange(next);
          }
        }}
        onBlur={() => !good && setText(String(value))}
        className="rounded-control w-full border border-edge bg-surface px-1.5 py-0.5 text-right font-mono data-invalid:border-wrong"
      />
      <Description className={`col-span-2 text-sm ${good ? "text-quiet" : "text-wrong"}`}>
        {good ? help : `Give ${step === 1 ? "a whole number" : "a number"} from ${min} to ${max}.`}
      </Description>
    </Field>
  );
}
