/** Chooses what to put in by a few letters. */
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useRef, useState } from "react";
import type { NetworkPart } from "../../api/client";
import { kindWords } from "../../domain/network";

interface Props {
  kinds: readonly NetworkPart[];
  onPut: (kind: NetworkPart) => void;
  onClose: () => void;
}

/** Every letter typed stands in the words, in that order. */
function matches(words: string, typed: string): boolean {
  let at = 0;
  for (const letter of typed.toLowerCase().replaceAll(" ", "")) {
    at = words.toLowerCase().indexOf(letter, at) + 1;
    if (!at) return false;
  }
  return true;
}

function ranked(kinds: readonly NetworkPart[], typed: string): NetworkPart[] {
  const wanted = typed.trim().toLowerCase();
  const found = kinds.filter((kind) => matches(kindWords(kind.kind), wanted));
  const rank = (kind: NetworkPart) => {
    const words = kindWords(kind.kind).toLowerCase();
    return words.startsWith(wanted) ? 0 : words.includes(` ${wanted}`) ? 1 : words.includes(wanted) ? 2 : 3;
  };
  return found.sort((one, two) => rank(one) - rank(two));
}

export function PutIn({ kinds, onPut, onClose }: Props) {
  const [typed, setTyped] = useState("");
  // It closes as well when something was chosen.
  const chosen = useRef(false);
  const choose = (kind: NetworkPart | null) => {
    if (!kind) return;
    chosen.current = true;
    onPut(kind);
  };
  return (
    <Combobox immediate onChange={choose} onClose={() => chosen.current || onClose()}>
      <div className="mx-3 my-1">
        <ComboboxInput
          autoFocus
          aria-label="What to put in"
          placeholder="type a few letters: res, pool, drop …"
          className="rounded-control w-full border border-choice bg-surface px-2 py-1 font-mono text-sm"
          onChange={(event) => setTyped(event.target.value)}
        />
        <ComboboxOptions
          anchor={{ to: "bottom start", gap: 2 }}
          className="shadow-float z-50 max-h-[300px] w-[560px] overflow-auto bg-surface py-1"
        >
          {ranked(kinds, typed).map((kind) => (
            <ComboboxOption
              key={kind.kind}
              value={kind}
              className="flex cursor-pointer items-baseline gap-3 px-3 py-0.5 data-focus:bg-sunken"
            >
              <span className="w-44 shrink-0 font-semibold">{kindWords(kind.kind)}</span>
              <span className="truncate text-sm text-quiet">{kind.does}</span>
            </ComboboxOption>
          ))}
        </ComboboxOptions>
      </div>
    </Combobox>
  );
}
