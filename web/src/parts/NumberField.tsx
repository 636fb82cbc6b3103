/** A number with its one line of help; what is typed counts when it is whole and in range. */
import { Description, Field, Input, Label } from "@headlessui/react";
import type { ReactNode } from "react";
import { Help } from "./Help";
import { type NumberRange, useNumberText } from "./useNumberText";

interface Props extends NumberRange {
  label: string;
  help: string;
  value: number;
  /** The passage of the guide about it. */
  guide?: string;
  onChange: (value: number) => void;
}

export function NumberField({ label, help, guide, value, onChange, ...range }: Props) {
  const { good, mend, field } = useNumberText(value, range, onChange);
  return (
    <Field className="mb-2 grid grid-cols-[1fr_88px] items-baseline gap-x-2">
      <Label>{label}</Label>
      <Input
        {...field}
        invalid={!good}
        className="rounded-control w-full border border-edge bg-surface px-1.5 py-0.5 text-right font-mono data-invalid:border-wrong"
      />
      <Description className={`col-span-2 text-sm ${good ? "text-quiet" : "text-wrong"}`}>
        {good ? explained(help, guide) : mend}
      </Description>
    </Field>
  );
}

function explained(help: string, guide: string | undefined): ReactNode {
  return guide ? <Help guide={guide}>{help}</Help> : help;
}
