/** What is typed for a number: it counts when it is whole where it must be and in range, else the old one comes back. */
import { type ChangeEvent, useEffect, useState } from "react";

export interface NumberRange {
  readonly min: number;
  readonly max: number;
  /** The least value itself is out. */
  readonly above?: boolean;
  readonly step?: number | "any";
}

export function useNumberText(value: number, range: NumberRange, onChange: (value: number) => void) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText((now) => (Number(now) === value ? now : String(value))), [value]);
  const { min, max, above, step = 1 } = range;
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
  return {
    good,
    /** What would fit, in words. */
    mend: `Give ${step === 1 ? "a whole number" : "a number"} ${above ? `above ${min}, at most` : `from ${min} to`} ${max}.`,
    field: {
      inputMode: "decimal",
      value: text,
      onChange: (event: ChangeEvent<HTMLInputElement>) => {
        setText(event.target.value);
        if (fits(event.target.value)) onChange(Number(event.target.value));
      },
      onBlur: () => {
        if (!good) setText(String(value));
      },
    },
  } as const;
}
