/** A part of the Run sheet: what it is set to, as a picture, and below it what can be changed, once it is opened. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { type ReactNode, useEffect, useRef } from "react";

interface Props {
  title: string;
  words: string;
  picture?: ReactNode;
  /** The address names this part, so it is open from the beginning. */
  asked?: boolean;
  /** It stands near the right edge, so that what it opens reaches to the left. */
  right?: boolean;
  children: ReactNode;
}

export function Part({ title, words, picture, asked, right, children }: Props) {
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    if (asked && button.current?.getAttribute("aria-expanded") !== "true") button.current?.click();
  }, [asked]);
  return (
    <Popover as="section" className={`relative ${CELL}`}>
      <PopoverButton ref={button} className="group block w-full cursor-pointer text-left">
        <PartHead title={title} words={words} opens="change" />
      </PopoverButton>
      {picture && <div className="mt-1.5">{picture}</div>}
      <PopoverPanel
        className={`shadow-float absolute top-full z-30 max-h-[calc(100vh-240px)] w-[360px] overflow-y-auto border border-hairline bg-surface p-4 ${right ? "right-0" : "left-0"}`}
      >
        {children}
      </PopoverPanel>
    </Popover>
  );
}

/** Columns of the band, which what a run stood on has as well: six ingredients, and what is done with them. */
export const BAND =
  "grid shrink-0 grid-cols-[1.15fr_1fr_1.1fr_1.1fr_1fr_0.9fr_minmax(170px,1.15fr)] max-[1100px]:text-sm";

export const CELL = "min-w-0 border-r border-hairline px-3 py-2";

export function PartHead({ title, words, opens }: { title: string; words: string; opens: string }) {
  return (
    <>
      <span className="flex items-baseline justify-between gap-2">
        <span className="font-semibold">{title}</span>
        <span className="text-sm text-choice group-hover:underline">{opens}</span>
      </span>
      <span className="line-clamp-2 min-h-[2.6em] text-sm text-quiet" title={words}>
        {words}
      </span>
    </>
  );
}
