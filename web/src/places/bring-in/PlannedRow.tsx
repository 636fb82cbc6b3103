/** A class as the plan would fill it: its name, to be changed, its count and sets, and some of its pictures. */
import { useEffect, useState } from "react";
import type { Choice, PlannedClass } from "../../api/client";
import {
  classWords,
  isClassOut,
  namesRead,
  plannedSets,
  renameIn,
  separate,
  withClass,
} from "../../domain/plan";
import { Button } from "../../parts/Button";
import { SetBar } from "../../parts/SetBar";

const SIDE = 56;

interface Props {
  importId: number;
  entry: PlannedClass;
  names: readonly string[];
  largest: number;
  choice: Choice;
  onChoice: (choice: Choice) => void;
}

export function PlannedRow(props: Props) {
  const { importId, entry, names, choice, onChoice } = props;
  const changed = entry.read_as.some((read) => read !== entry.name);
  const words = classWords(entry);
  const out = isClassOut(choice, entry);
  return (
    <li
      className={`grid grid-cols-[176px_1fr] items-center gap-3 border-b border-hairline py-2 pr-2 pl-3 ${out ? "bg-sunken" : ""}`}
      data-class={entry.name}
    >
      <div>
        <div className="flex items-baseline gap-2">
          {entry.name && choice.read_as !== "one_class" ? (
            <NameField {...props} />
          ) : (
            <span className="min-w-0 flex-1 truncate px-1 font-semibold">{entry.name || "unlabelled"}</span>
          )}
          <span className="text-quiet">{entry.chosen.toLocaleString("en")}</span>
        </div>
        <Reach {...props} />
        <p className="mt-0.5 flex flex-wrap items-baseline gap-x-2 px-1 text-sm text-quiet">
          {words && <span>{words}</span>}
          <button
            type="button"
            aria-label={`${out ? "Take" : "Leave out"} ${entry.name || "the unlabelled"}`}
            className="min-h-6 cursor-pointer text-choice hover:underline"
            onClick={() => onChoice(withClass(choice, namesRead(entry), out))}
          >
            {out ? "Take" : "Leave out"}
          </button>
        </p>
        {changed && (
          <p className="mt-0.5 flex items-baseline gap-1 px-1 text-sm text-quiet">
            <span className="min-w-0 truncate" title={entry.read_as.join(", ")}>
              read as {entry.read_as.join(", ")}
            </span>
            <Button kind="bare" onClick={() => onChoice(separate(choice, entry.read_as))}>
              Put back
            </Button>
          </p>
        )}
      </div>
      <Strip importId={importId} entry={entry} />
      <datalist id={`names-${importId}`}>
        {names.map((other) => (
          <option key={other} value={other} />
        ))}
      </datalist>
    </li>
  );
}

function NameField({ importId, entry, choice, onChoice }: Props) {
  const [name, setName] = useState(entry.name);
  useEffect(() => setName(entry.name), [entry.name]);
  const rename = () => {
    const wanted = name.trim();
    if (wanted !== entry.name) onChoice(renameIn(choice, entry.read_as, wanted));
  };
  return (
    <input
      aria-label={`Name of ${entry.name}`}
      list={`names-${importId}`}
      value={name}
      title="Another class's name merges the two; an empty one takes the label away"
      onChange={(event) => setName(event.target.value)}
      onBlur={rename}
      onKeyDown={(event) => {
        if (event.key === "Enter" && !event.ctrlKey) rename();
        if (event.key === "Escape") setName(entry.name);
      }}
      className="rounded-control min-w-0 flex-1 border border-transparent bg-transparent px-1 font-semibold hover:border-edge focus:border-edge focus:bg-surface"
    />
  );
}

/** The class beside the largest one; by sets where the source names them. */
function Reach({ entry, largest }: Pick<Props, "entry" | "largest">) {
  const sets = plannedSets(entry);
  return (
    <div className="mt-1">
      {sets.none === entry.chosen ? (
        <div className="h-1.5 bg-sunken">
          <div className="h-full bg-edge" style={{ width: `${(100 * entry.chosen) / largest}%` }} />
        </div>
      ) : (
        <SetBar counts={sets} whole={largest} height={6} />
      )}
    </div>
  );
}

function Strip({ importId, entry }: Pick<Props, "importId" | "entry">) {
  return (
    <div className="h-14 overflow-hidden bg-sunken">
      {entry.samples.length > 0 && (
        <img
          src={`/api/imports/${importId}/strip?side=${SIDE}&contents=${entry.samples.join(",")}`}
          alt={`Some of ${entry.name || "the unlabelled pictures"}`}
          loading="lazy"
          decoding="async"
          className="h-14 max-w-none"
          style={{ width: entry.samples.length * SIDE }}
        />
      )}
    </div>
  );
}
