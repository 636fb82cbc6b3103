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
}

export function LabelSheet({ title, classes, onClose, onChoose }: Props) {
  const [query, setQuery] = useState("");
  const wanted = query.trim().toLocaleLowerCase();
  const found = classes.filter((entry) => entry.name.toLocaleLowerCase().includes(wanted));
  return (
    <Sheet title={title} open onClose={onClose}>
      <Combobox<ClassOf | null>
        immediate
        value={null}
        onChange={(entry) => {
          if (entry) {
            onChoose(entry.id);
            onClose();
          }
        }}
      >
        <ComboboxInput
          autoFocus
          aria-label="Class"
          placeholder="Letters of the class's name"
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
        </ComboboxOptions>
        {found.length === 0 && <p className="text-quiet">No class holds these letters.</p>}
      </Combobox>
    </Sheet>
  );
}
