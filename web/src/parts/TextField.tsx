/** A line or a few lines of text with its label. */
import { Field, Input, Label, Textarea } from "@headlessui/react";

interface Props {
  label: string;
  value: string;
  most: number;
  /** More than one: it has room for several lines. */
  lines?: number;
  autoFocus?: boolean;
  /** Nobody reads it over a shoulder, and no browser keeps it. */
  secret?: boolean;
  onChange: (text: string) => void;
}

const LOOK = "rounded-control w-full border border-edge bg-surface px-2 py-1.5";

export function TextField({ label, value, most, lines = 1, autoFocus = false, secret, onChange }: Props) {
  return (
    <Field className="mb-2">
      <Label className="mb-1 block text-quiet">{label}</Label>
      {lines === 1 ? (
        <Input
          autoFocus={autoFocus}
          {...(secret ? { type: "password", autoComplete: "new-password" } : {})}
          value={value}
          maxLength={most}
          onChange={(event) => onChange(event.target.value)}
          className={LOOK}
        />
      ) : (
        <Textarea
          value={value}
          rows={lines}
          maxLength={most}
          onChange={(event) => onChange(event.target.value)}
          className={`${LOOK} resize-none`}
        />
      )}
    </Field>
  );
}
