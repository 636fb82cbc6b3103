/** The network that is being written: its list with what was before and after, and as it is kept. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { type Ingredient, Problem, type Recipe } from "../../api/client";
import { useIngredients } from "../../api/ingredientQueries";
import { useNetworks } from "../../api/runQueries";
import { lessonOf, type Part, versionName } from "../../domain/network";
import { useNotices } from "../../parts/Notices";
import { useKeptByName } from "./useKeptByName";

/** So long after the last change it is kept, in milliseconds. */
const PAUSE_MS = 400;

type State = "idle" | "keeping" | "conflict" | "failed";

export interface NetworkDraft {
  /** Empty for a ready network and for an older version, which stay as they are. */
  readonly own: string;
  readonly parts: readonly Part[] | undefined;
  readonly change: (parts: readonly Part[]) => void;
  /** The same list with what the server wrote out; no step of its own. */
  readonly adopt: (from: readonly Part[], written: readonly Part[]) => void;
  readonly undo: (() => void) | undefined;
  readonly redo: (() => void) | undefined;
  readonly state: "kept" | "changed" | Exclude<State, "idle">;
  /** Keep what is written here under a new name, and go on with that. */
  readonly keepAs: (name: string, parts: readonly Part[]) => Promise<void>;
  /** Give up what was changed here, and read what is kept. */
  readonly readAgain: () => void;
  /** Take its name out of the list, and go on with the usual network. */
  readonly forget: () => Promise<void>;
  /** Whatever is not kept yet, before this page is left. */
  readonly flush: () => Promise<void>;
}

interface Steps {
  /** The version as it is called in the recipe. */
  readonly label: string;
  readonly name: string;
  readonly past: readonly (readonly Part[])[];
  readonly now: readonly Part[];
  readonly next: readonly (readonly Part[])[];
  /** What is kept, as this window saw it last. */
  readonly seen: readonly Part[];
  /** What the server wrote out last: only that is kept by itself. */
  readonly written: readonly Part[];
}

const UNTOUCHED = { past: [], next: [], written: [] };

const same = (one: unknown, two: unknown) => JSON.stringify(one) === JSON.stringify(two);
const listOf = (entry: Ingredient) => (entry.value.layers ?? []) as readonly Part[];

export function useNetworkDraft(
  projectId: number,
  recipe: Recipe,
  onRecipe: (recipe: Recipe) => void,
): NetworkDraft {
  const { shown, newest, usual } = useSources(projectId, recipe);
  const [steps, setSteps] = useState<Steps>();
  const [state, setState] = useState<State>("idle");
  const { save, forget } = useKeptByName(projectId, "network");
  const label = recipe.network;
  const chosen = steps?.label === label ? steps : undefined;
  if (newest && !chosen) {
    const layers = listOf(newest);
    setSteps({ ...UNTOUCHED, label, name: newest.name, now: layers, seen: layers });
    setState("idle");
  }

  const { keep, waiting } = useKeeping({ chosen, state, setState, setSteps, save, recipe, onRecipe });
  const goOn = (network: string) => {
    setSteps(undefined);
    setState("idle");
    onRecipe({ ...recipe, network });
  };
  const go = (found: (last: Steps) => Steps) => setSteps((last) => last && found(last));
  const queries = useQueryClient();
  return {
    own: chosen?.name ?? "",
    parts: chosen?.now ?? shown,
    change: (parts) =>
      go((last) => ({ ...last, past: [...last.past, last.now].slice(-200), now: parts, next: [] })),
    adopt: useAdopting(setSteps),
    undo: chosen?.past.length ? () => go(back) : undefined,
    redo: chosen?.next.length ? () => go(forth) : undefined,
    state: state !== "idle" ? state : waiting ? "changed" : "kept",
    keepAs: async (name, parts) => goOn(versionName(await save(name, { layers: parts }, { fresh: true }))),
    readAgain: () =>
      void queries
        .invalidateQueries({ queryKey: ["ingredients"] })
        .then(() => goOn(newest?.name ?? chosen?.name ?? recipe.network)),
    forget: async () => {
      if (newest) await forget(newest.id);
      goOn(usual);
    },
    flush: keep,
  };
}

interface Keeping {
  chosen: Steps | undefined;
  state: State;
  setState: (state: State) => void;
  setSteps: (set: (last: Steps | undefined) => Steps | undefined) => void;
  save: ReturnType<typeof useKeptByName>["save"];
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
}

/** Keeps what was changed a moment after the last change, once the server has written it out, and when it is left. */
function useKeeping({ chosen, state, setState, setSteps, save, recipe, onRecipe }: Keeping) {
  const { fail } = useNotices();
  const underWay = useRef<Promise<readonly Part[] | undefined>>(undefined);
  // What was only looked at is not kept anew, even if today's program would write it otherwise.
  const touched = !!chosen && chosen.past.length + chosen.next.length > 0;
  const waiting = touched && !same(chosen.now, chosen.seen);

  const send = async (what: Steps) => {
    setState("keeping");
    try {
      const made = await save(what.name, { layers: what.now }, { was: { layers: what.seen } });
      const kept = { label: versionName(made), seen: listOf(made) };
      setSteps((last) => last && { ...last, ...kept });
      onRecipe({ ...recipe, network: kept.label });
      setState("idle");
      return kept.seen;
    } catch (error) {
      setState(error instanceof Problem && error.status === 409 ? "conflict" : "failed");
      fail(error);
      return undefined;
    }
  };
  const keep = async () => {
    // What is under way is waited for: this is made of what that leaves.
    const left = await underWay.current;
    const what = chosen && { ...chosen, seen: left ?? chosen.seen };
    if (!what || !touched || state === "conflict" || same(what.now, what.seen)) return;
    underWay.current = send(what);
    await underWay.current;
    underWay.current = undefined;
  };

  const latest = useRef(keep);
  useEffect(() => {
    latest.current = keep;
  });
  useEffect(() => () => void latest.current(), []);
  const ready = waiting && chosen.now === chosen.written && state === "idle";
  const list = chosen?.now;
  useEffect(() => {
    if (!ready || !list) return;
    const timer = setTimeout(() => void latest.current(), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [ready, list]);
  return { keep, waiting };
}

/** The list that is shown was written out by the server: every setting, every id. */
function useAdopting(setSteps: (set: (last: Steps | undefined) => Steps | undefined) => void) {
  return useCallback(
    (from: readonly Part[], written: readonly Part[]) =>
      setSteps((last) =>
        last && last.now === from && last.written !== written ? { ...last, now: written, written } : last,
      ),
    [setSteps],
  );
}

function back(last: Steps): Steps {
  const before = last.past[last.past.length - 1];
  return before
    ? { ...last, past: last.past.slice(0, -1), now: before, next: [last.now, ...last.next] }
    : last;
}

function forth(last: Steps): Steps {
  const [after, ...next] = last.next;
  return after ? { ...last, past: [...last.past, last.now], now: after, next } : last;
}

/** The list to show, and the entry that can be changed: the newest of a name, no older version and no ready one. */
function useSources(projectId: number, recipe: Recipe) {
  const { data: networks = [] } = useNetworks(projectId, lessonOf(recipe));
  const { data: kept = [] } = useIngredients(projectId, "network");
  const ready = networks.find((entry) => entry.name === recipe.network);
  const entry = kept.find((one) => versionName(one) === recipe.network || one.name === recipe.network);
  const newest = entry && kept.find((one) => one.name === entry.name);
  return {
    shown: entry ? listOf(entry) : (ready?.written as readonly Part[] | undefined),
    newest: newest === entry ? newest : undefined,
    usual: networks.find((one) => one.default)?.name ?? recipe.network,
  };
}
