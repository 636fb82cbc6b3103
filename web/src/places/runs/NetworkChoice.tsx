/** Which network is on the page: a ready one to start from, or one of one's own with its versions. */
import { useState } from "react";
import type { Ingredient, Network, Recipe } from "../../api/client";
import { useIngredients } from "../../api/ingredientQueries";
import { useNetworks } from "../../api/runQueries";
import { freeName, type Lesson, type Part, versionName } from "../../domain/network";
import { short } from "../../domain/recipe";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Help } from "../../parts/Help";
import { NameSheet } from "../../parts/NameSheet";
import { NetworkMenu } from "./NetworkMenu";
import { ReadyTable } from "./ReadyTable";
import type { NetworkDraft } from "./useNetworkDraft";

interface Props {
  projectId: number;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
  draft: NetworkDraft;
  parts: readonly Part[];
  onBack: () => void;
  lesson: Lesson;
}

const STATES: Record<NetworkDraft["state"], string> = {
  kept: "kept",
  changed: "not kept yet",
  keeping: "is being kept …",
  conflict: "changed in another window",
  failed: "could not be kept",
};

export function NetworkChoice({ projectId, recipe, onRecipe, draft, parts, onBack, lesson }: Props) {
  const { data: kept = [] } = useIngredients(projectId, "network");
  const [naming, setNaming] = useState<"new" | "copy">();
  const [comparing, setComparing] = useState(false);
  const { data: ready = [] } = useNetworks(projectId, lesson);
  const isReady = ready.some((entry) => entry.name === recipe.network);
  const names = [...ready, ...kept].map((entry) => entry.name);
  const name = freeName(naming === "new" ? "network" : `${draft.own || recipe.network} changed`, names);
  return (
    <header className="flex items-center gap-3 border-b border-hairline px-4 py-2">
      <Button onClick={onBack}>‹ Run sheet</Button>
      <h2 className="text-lg font-semibold">Network</h2>
      <Choice {...{ recipe, onRecipe, ready, kept }} />
      <Standing draft={draft} ready={isReady} onKeepMine={() => setNaming("copy")} />
      <span className="ml-auto flex gap-2">
        <Button kind={draft.own ? "plain" : "main"} disabled={!draft.parts} onClick={() => setNaming("copy")}>
          Duplicate
        </Button>
        <Button onClick={() => setComparing(true)}>Compare</Button>
        <Button onClick={() => setNaming("new")}>New, empty</Button>
        <NetworkMenu draft={draft} parts={parts} name={draft.own || recipe.network} taken={names} />
      </span>
      {comparing && (
        <ReadyTable
          networks={ready}
          lesson={lesson}
          chosen={recipe.network}
          onChoose={(network) => onRecipe({ ...recipe, network })}
          onClose={() => setComparing(false)}
        />
      )}
      {naming && (
        <NameSheet
          title={naming === "new" ? "A network of your own" : "A network like this one"}
          label="What it is called. Versions are numbered: one that a run has used stays as it was."
          action="Make it"
          initial={name}
          onClose={() => setNaming(undefined)}
          onName={(wanted) => draft.keepAs(wanted, naming === "new" ? [] : parts)}
        />
      )}
    </header>
  );
}

interface StandingProps {
  draft: NetworkDraft;
  ready: boolean;
  onKeepMine: () => void;
}

/** Whether what is on the page is kept, and what can be done where it is not. */
function Standing({ draft, ready, onKeepMine }: StandingProps) {
  if (!draft.own) {
    return (
      <span className="text-quiet">
        {!draft.parts ? (
          "It is not in the list; runs keep what they used."
        ) : ready ? (
          <Help guide="network#ready-networks">
            A ready network stays as it is: duplicate it to change it.
          </Help>
        ) : (
          <Help guide="network#versions">
            An older version stays as it is: duplicate it to go on from it.
          </Help>
        )}
      </span>
    );
  }
  const amiss = draft.state === "conflict" || draft.state === "failed";
  return (
    <>
      <span role="status" data-testid="network-state" className={amiss ? "text-wrong" : "text-quiet"}>
        {STATES[draft.state]}
      </span>
      {draft.state === "conflict" && <Button onClick={draft.readAgain}>See what it is now</Button>}
      {draft.state === "conflict" && <Button onClick={onKeepMine}>Keep mine under another name</Button>}
      {draft.state === "failed" && <Button onClick={() => void draft.flush()}>Try again</Button>}
    </>
  );
}

interface ChoiceProps {
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
  ready: readonly Network[];
  kept: readonly Ingredient[];
}

function Choice({ recipe, onRecipe, ready, kept }: ChoiceProps) {
  const known = [...ready.map((entry) => entry.name), ...kept.map(versionName)];
  const newest = kept.find((entry) => entry.name === recipe.network);
  const value = newest ? versionName(newest) : recipe.network;
  return (
    <select
      aria-label="Which network"
      value={value}
      onChange={(event) => onRecipe({ ...recipe, network: event.target.value })}
      className="rounded-control max-w-[300px] border border-edge bg-surface px-2 py-1"
    >
      {!known.includes(value) && <option value={value}>{value}, which is not here</option>}
      <optgroup label="Ready">
        {ready.map((entry) => (
          <option key={entry.name} value={entry.name}>
            {entry.name}, {short(entry.parameters)} parameters
          </option>
        ))}
      </optgroup>
      {kept.length > 0 && (
        <optgroup label="Your own">
          {kept.map((entry) => (
            <option key={entry.id} value={versionName(entry)}>
              {versionName(entry)}
              {entry.runs.length ? `, used by ${plural(entry.runs.length, "run")}` : ""}
            </option>
          ))}
        </optgroup>
      )}
    </select>
  );
}
