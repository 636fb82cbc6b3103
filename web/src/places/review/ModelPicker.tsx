/** Which model is judged, with its place in the Ledger. */
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import type { Run } from "../../api/client";
import { runsOf, useLedger } from "../../api/runQueries";
import { useAddress } from "../../app/context";
import { ordinal, plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";

export function ModelPicker({ run }: { run: Run }) {
  const [, setAddress] = useAddress();
  const ledger = useLedger(run.project_id, "validation_accuracy");
  const runs = runsOf(ledger.data).filter((entry) => entry.model && entry.validation);
  const place = runs.findIndex((entry) => entry.id === run.id) + 1;
  // What was chosen of another model means nothing here.
  const show = (id: number) => setAddress({ run: String(id), cells: undefined, set: undefined });
  return (
    <Listbox value={run.id} onChange={show}>
      <ListboxButton
        className="rounded-control shrink-0 cursor-pointer border border-edge px-2 py-0.5 whitespace-nowrap hover:bg-sunken"
        aria-label={`Run ${run.number}: choose another`}
        title="Its place in the Ledger, by validation accuracy"
        data-testid="model-picker"
      >
        <b>Run {run.number}</b>
        {place > 0 && runs.length > 1 && (
          <span className="text-quiet">
            , {ordinal(place)} of {runs.length}
            {ledger.hasNextPage ? "+" : ""}
          </span>
        )}{" "}
        <span aria-hidden="true">▾</span>
      </ListboxButton>
      <ListboxOptions
        anchor="bottom start"
        className="shadow-float z-40 max-h-[420px] w-[460px] overflow-y-auto border border-hairline bg-surface py-1 outline-none"
      >
        <p className="px-3 pb-1 text-sm text-quiet">By validation accuracy; each on its own division.</p>
        {runs.map((entry, n) => (
          <ListboxOption
            key={entry.id}
            value={entry.id}
            className="grid cursor-pointer grid-cols-[36px_1fr_auto] gap-2 px-3 py-1 data-focus:bg-choice-wash data-selected:font-semibold"
          >
            <span className="text-right text-quiet">{n + 1}.</span>
            <span className="min-w-0 truncate">
              Run {entry.number}
              {entry.name && ` ${entry.name}`}{" "}
              <span className="font-normal text-quiet">{entry.recipe.network}</span>
            </span>
            <span>
              {score(entry.validation?.accuracy)}{" "}
              <span className="font-normal text-quiet">
                on {plural(entry.validation?.count ?? 0, "picture")}
              </span>
            </span>
          </ListboxOption>
        ))}
        {ledger.hasNextPage && (
          <Button kind="bare" className="mx-2" onClick={() => void ledger.fetchNextPage()}>
            More runs
          </Button>
        )}
      </ListboxOptions>
    </Listbox>
  );
}
