/** What is kept by name: take one, keep the present one, see which runs used it. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useState } from "react";
import type { Ingredient } from "../../api/client";
import { useIngredients } from "../../api/ingredientQueries";
import { sameValue } from "../../domain/variation";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { NameSheet } from "../../parts/NameSheet";
import { useNotices } from "../../parts/Notices";
import { useKeptByName } from "./useKeptByName";

interface Props {
  projectId: number;
  kind: "variation" | "preprocessing";
  value: Record<string, unknown>;
  onTake: (entry: Ingredient) => void;
}

function versionWords(entry: Ingredient): string {
  return `${entry.name}, version ${entry.version}`;
}

export function NamedVersions({ projectId, kind, value, onTake }: Props) {
  const { data: kept = [] } = useIngredients(projectId, kind);
  const { save, forget } = useKeptByName(projectId, kind);
  const { fail } = useNotices();
  const [naming, setNaming] = useState(false);
  const present = kept.find((entry) => sameValue(entry.value, value));
  return (
    <div className="flex items-center gap-2">
      <Kept {...{ kept, present, onTake }} />
      {present ? (
        <Button
          kind="bare"
          title="Take this name out of the list; runs keep what they used"
          onClick={() => void forget(present.id).catch(fail)}
        >
          Forget
        </Button>
      ) : (
        <Button onClick={() => setNaming(true)}>Keep by name</Button>
      )}
      {naming && (
        <NameSheet
          title={`Keep this ${kind}`}
          label="Under a name that is there, it becomes its next version once a run has used that."
          action="Keep"
          initial={kept[0]?.name ?? ""}
          onClose={() => setNaming(false)}
          onName={(name) => save(name, value)}
        />
      )}
    </div>
  );
}

interface KeptProps {
  kept: readonly Ingredient[];
  present: Ingredient | undefined;
  onTake: Props["onTake"];
}

function Kept({ kept, present, onTake }: KeptProps) {
  return (
    <Listbox value={present?.id ?? 0} onChange={(id) => kept.filter((x) => x.id === id).forEach(onTake)}>
      <ListboxButton
        disabled={!kept.length}
        className="rounded-control max-w-[280px] cursor-pointer truncate border border-edge bg-surface px-2.5 py-1 disabled:cursor-default disabled:opacity-60"
        data-testid="named-version"
      >
        {present ? versionWords(present) : kept.length ? "not kept by name" : "none kept yet"}
        {kept.length > 0 && <span className="ml-2 text-quiet">choose</span>}
      </ListboxButton>
      <ListboxOptions
        anchor="bottom start"
        className="shadow-float z-50 max-h-[320px] overflow-auto bg-surface py-1 outline-none"
      >
        {kept.map((entry) => (
          <ListboxOption
            key={entry.id}
            value={entry.id}
            className="cursor-pointer px-3 py-1 data-focus:bg-sunken data-selected:font-semibold"
          >
            {versionWords(entry)}
            <span className="ml-3 text-sm text-quiet">
              {entry.runs.length ? `used by ${plural(entry.runs.length, "run")}` : "no run has used it yet"}
            </span>
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}
