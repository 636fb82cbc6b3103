/** A number with its one line of help; what is typed counts when it is whole and in range. */
import { Description, Field, Input, Label } from "@headlessui/react";
import { type ReactNode, useEffect, useState } from "react";
import { Help } from "./Help";

interface Props {
  label: string;
  help: string;
  value: number;
  min: number;
  max: number;
  /** The least value itself is out. */
  above?: boolean;
  step?: number | "any";
  /** The passage of the guide about it. */
  guide?: string;
  onChange: (value: number) => void;
}

export function NumberField({ label, help, guide, value, min, max, above, step = 1, onChange }: Props) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText((now) => (Number(now) === value ? now : String(value))), [value]);
  const fits = (written: string) => {
    const number = Number(written);
    return (
      written.trim() !== "" &&
      (above ? number > min : number >= min) &&
      number <= max &&
      (step !== 1 || Number.isInteger(number))
    );
  };
  const good = fits(text);
  return (
    <Field className="mb-2 grid grid-cols-[1fr_88px] items-baseline gap-x-2">
      <Label>{label}</Label>
      <Input
        inputMode="decimal"
        value={text}
        invalid={!good}
        onChange={(event) => {
          setText(event.target.value);
          if (fits(event.target.value)) onChange(Number(event.target.value));
        }}
        onBlur={() => !good && setText(String(value))}
        className="rounded-control w-full border border-edge bg-surface px-1.5 py-0.5 text-right font-mono data-invalid:border-wrong"
      />
      <Description className={`col-span-2 text-sm ${good ? "text-quiet" : "text-wrong"}`}>
        {good
          ? explained(help, guide)
          : `Give ${step === 1 ? "a whole number" : "a number"} ${above ? `above ${min}, at most` : `from ${min} to`} ${max}.`}
      </Description>
    </Field>
  );
}

function explained(help: string, guide: string | undefined): ReactNode {
  return guide ? <Help guide={guide}>{help}</Help> : help;
}
