/** One of a few, side by side. */
import { Label, Radio, RadioGroup } from "@headlessui/react";
import type { ReactNode } from "react";

interface Props<T extends string | number> {
  label: string;
  value: T;
  options: readonly { value: T; label: ReactNode; title?: string }[];
  onChange: (value: T) => void;
  hideLabel?: boolean;
}

export function Choice<T extends string | number>({ label, value, options, onChange, hideLabel }: Props<T>) {
  return (
    <RadioGroup value={value} onChange={onChange} className="flex items-center gap-2">
      <Label className={hideLabel ? "sr-only" : "text-quiet"}>{label}</Label>
      <div className="rounded-control flex shrink-0 border border-edge">
        {options.map((option) => (
          <Radio
            key={option.value}
            value={option.value}
            title={option.title}
            aria-label={option.title}
            className="cursor-pointer px-2 py-0.5 whitespace-nowrap not-first:border-l not-first:border-hairline data-checked:bg-choice data-checked:text-surface"
          >
            {option.label}
          </Radio>
        ))}
      </div>
    </RadioGroup>
  );
}
