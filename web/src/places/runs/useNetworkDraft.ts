/** The network that is being written: its list with what was before and after, and as it is kept. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { client, type Ingredient, need, Problem, type Recipe } from "../../api/client";
import { useIngredients } from "../../api/ingredientQueries";
import { useNetworks } from "../../api/runQueries";
import { type Part, versionName } from "../../domain/network";
import { useNotices } from "../../parts/Notices";

/** So long after the last change it is kept, in milliseconds. */
const PAUSE_MS = 400;

type State = "idle" | "keeping" | "conflict" | "failed";

export interface NetworkDraft {
  /** Empty for a ready network, which stays as it is. */
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
  readonly label: string;
  readonly name: string;
  readonly past: readonly (readonly Part[])[];
  readonly now: readonly Part[];
  readonly next: readonly (readonly Part[])[];
  /** The newest value of the name as it was last seen. */
  readonly seen: readonly Part[];
  /** What the server wrote out last: only that is kept. */
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
  const { ready, kept, usual } = useSources(projectId, recipe);
  const [steps, setSteps] = useState<Steps>();
  const [state, setState] = useState<State>("idle");
  const { save, forget } = useKept(projectId);
  const label = recipe.network;
  const entry = kept.find((one) => versionName(one) === label || one.name === label);
  const chosen = steps?.label === label ? steps : undefined;
  if (entry && !chosen) {
    const newest = kept.find((one) => one.name === entry.name) ?? entry;
    setSteps({ ...UNTOUCHED, label, name: entry.name, now: listOf(entry), seen: listOf(newest) });
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
    parts: chosen?.now ?? ready,
    change: (parts) =>
      go((last) => ({ ...last, past: [...last.past, last.now].slice(-200), now: parts, next: [] })),
    adopt: useAdopting(setSteps),
    undo: chosen?.past.length ? () => go(back) : undefined,
    redo: chosen?.next.length ? () => go(forth) : undefined,
    state: state !== "idle" ? state : waiting ? "changed" : "kept",
    keepAs: async (name, parts) => goOn(versionName(await save(name, parts, { fresh: true }))),
    readAgain: () =>
      void queries
        .invalidateQueries({ queryKey: ["ingredients"] })
        .then(() => goOn(entry?.name ?? recipe.network)),
    forget: async () => {
      if (entry) await forget(entry.id);
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
  save: ReturnType<typeof useKept>["save"];
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
}

/** Keeps what was changed a moment after the last change, once the server has written it out. */
function useKeeping({ chosen, state, setState, setSteps, save, recipe, onRecipe }: Keeping) {
  const { fail } = useNotices();
  const keep = useCallback(async () => {
    if (!chosen || same(chosen.now, chosen.seen)) return;
    setState("keeping");
    try {
      const made = await save(chosen.name, chosen.now, { was: chosen.seen });
      setSteps((last) => last && { ...last, label: versionName(made), seen: chosen.now });
      onRecipe({ ...recipe, network: versionName(made) });
      setState("idle");
    } catch (error) {
      setState(error instanceof Problem && error.status === 409 ? "conflict" : "failed");
      fail(error);
    }
  }, [chosen, recipe, onRecipe, save, fail, setState, setSteps]);
  const waiting = !!chosen && !same(chosen.now, chosen.seen);
  const ready = waiting && chosen.now === chosen.written && state === "idle";
  useEffect(() => {
    if (!ready) return;
    const timer = setTimeout(() => void keep(), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [ready, keep]);
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

function useSources(projectId: number, recipe: Recipe) {
  const { size, colour } = recipe.preprocessing;
  const networks = useNetworks(projectId, size, colour === "rgb" ? 3 : 1);
  const { data: kept = [] } = useIngredients(projectId, "network");
  const ready = networks.data?.find((entry) => entry.name === recipe.network)?.written as
    | readonly Part[]
    | undefined;
  const usual = networks.data?.find((entry) => entry.default)?.name ?? "medium";
  return { ready, kept, usual };
}

function useKept(projectId: number) {
  const queries = useQueryClient();
  // One after the other, so that each is made of what the one before left.
  const before = useRef<Promise<unknown>>(Promise.resolve());
  const save = useCallback(
    (name: string, parts: readonly Part[], how: { was?: readonly Part[]; fresh?: boolean }) => {
      const send = async () => {
        const made = await need(
          client.POST("/api/projects/{project_id}/ingredients/{kind}", {
            params: { path: { project_id: projectId, kind: "network" } },
            body: {
              name,
              value: { layers: parts },
              new: how.fresh ?? false,
              was: how.was ? { layers: how.was } : null,
            },
          }),
        );
        await queries.invalidateQueries({ queryKey: ["ingredients"] });
        return made;
      };
      const sent = before.current.then(send, send);
      before.current = sent;
      return sent;
    },
    [projectId, queries],
  );
  const forget = (id: number) =>
    need(
      client.DELETE("/api/projects/{project_id}/ingredients/{kind}/{ingredient_id}", {
        params: { path: { project_id: projectId, kind: "network", ingredient_id: id } },
      }),
    ).then(() => queries.invalidateQueries({ queryKey: ["ingredients"] }));
  return { save, forget };
}
