/** A class chosen by typing a few letters of its name: for a label, or to merge into. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useState } from "react";
import type { ClassOf } from "../api/client";
import { colourPlace } from "../domain/classColour";
import { ClassSign } from "./ClassSign";
import { Sheet } from "./Sheet";

interface Props {
  title: string;
  classes: readonly ClassOf[];
  onClose: () => void;
  onChoose: (classId: number) => void;
  /** Makes a class of what was typed; without it only those that are there can be chosen. */
  onNew?: (name: string) => void;
}

/** What is chosen: a class that is there, or the name of a new one. */
type Chosen = ClassOf | string;

export function LabelSheet({ title, classes, onClose, onChoose, onNew }: Props) {
  const [query, setQuery] = useState("");
  const wanted = query.trim().toLocaleLowerCase();
  const found = classes.filter((entry) => entry.name.toLocaleLowerCase().includes(wanted));
  const isThere = classes.some((entry) => entry.name.toLocaleLowerCase() === wanted);
  const choose = (chosen: Chosen | null) => {
    if (chosen === null) return;
    if (typeof chosen === "string") onNew?.(chosen);
    else onChoose(chosen.id);
    onClose();
  };
  return (
    <Sheet title={title} open onClose={onClose}>
      <Combobox<Chosen | null> immediate value={null} onChange={choose}>
        <ComboboxInput
          autoFocus
          aria-label="Class"
          placeholder={onNew && !classes.length ? "Name of the first class" : "Letters of the class's name"}
          maxLength={200}
          className="rounded-control mb-2 w-full border border-edge bg-surface px-2 py-1.5"
          onChange={(event) => setQuery(event.target.value)}
        />
        <ComboboxOptions static className="max-h-72 overflow-y-auto">
          {found.map((entry) => (
            <ComboboxOption
              key={entry.id}
              value={entry}
              className="flex cursor-pointer items-center gap-2 px-2 py-1 data-focus:bg-choice-wash"
            >
              <ClassSign place={colourPlace(entry)} sign={entry.sign} />
              {entry.name}
              <span className="ml-auto text-quiet">{entry.count}</span>
            </ComboboxOption>
          ))}
          {onNew && wanted && !isThere && (
            <ComboboxOption
              value={query.trim()}
              className="cursor-pointer px-2 py-1 data-focus:bg-choice-wash"
            >
              New class <b>{query.trim()}</b>
            </ComboboxOption>
          )}
        </ComboboxOptions>
        {found.length === 0 && <p className="text-quiet">{noneWords(!!wanted, !!onNew)}</p>}
      </Combobox>
    </Sheet>
  );
}

function noneWords(typed: boolean, canMake: boolean): string {
  if (typed) return canMake ? "" : "No class holds these letters.";
  return canMake ? "There is no class yet: type what the pictures show." : "There is no other class.";
}
