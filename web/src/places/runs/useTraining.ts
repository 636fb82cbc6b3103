/** Starting a run: once however often it is asked for, and not before a doubtful setting was agreed to. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import {
  client,
  type EndingTrial,
  need,
  type Recipe,
  type Run,
  type Setting,
  type StartPlan,
} from "../../api/client";
import { recipeBody } from "../../domain/start";
import { type Doubt, doubtsOf, endingDoubts, startDoubts } from "../../domain/trainingSettings";
import { useNotices } from "../../parts/Notices";

export interface Training {
  /** Starts a run; with doubts it asks first. */
  readonly start: () => void;
  /** What is asked before the start; empty while nothing is. */
  readonly doubts: readonly Doubt[];
  /** Starts it all the same. */
  readonly insist: () => void;
  readonly withdraw: () => void;
  /** The questions about the pictures are to be answered first. */
  readonly asking: boolean;
  /** Starts it with the variation that was answered, or as it is. */
  readonly giveUp: () => void;
  readonly answered: (variation?: Recipe["variation"]) => void;
  readonly busy: boolean;
}

interface Asked {
  projectId: number;
  recipe: Recipe | undefined;
  table: readonly Setting[];
  splitId: number | undefined;
  title: { readonly name: string; readonly note: string };
  possible: boolean;
  /** Of what the recipe starts from. */
  plan: StartPlan | undefined;
  /** Of the conditions of an early end. */
  trial: EndingTrial | undefined;
  /** The first training of a project, whose variation nobody has looked at yet. */
  first: boolean;
  onStarted: (run: Run) => void;
}

export function useTraining({
  projectId,
  recipe,
  table,
  splitId,
  title,
  possible,
  plan,
  trial,
  first,
  onStarted,
}: Asked): Training {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [busy, setBusy] = useState(false);
  const [doubts, setDoubts] = useState<readonly Doubt[]>([]);
  const [asking, setAsking] = useState(false);
  // A second press comes before the first one's state is drawn.
  const underWay = useRef(false);

  const send = async (variation = recipe?.variation) => {
    if (!recipe || !variation || underWay.current || !possible) return;
    underWay.current = true;
    setBusy(true);
    setDoubts([]);
    setAsking(false);
    try {
      const run = await need(
        client.POST("/api/projects/{project_id}/runs", {
          params: { path: { project_id: projectId } },
          body: { recipe: recipeBody({ ...recipe, variation }), split_id: splitId ?? null, ...title },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["runs"] });
      onStarted(run);
    } catch (error) {
      fail(error);
    }
    underWay.current = false;
    setBusy(false);
  };

  const start = () => {
    if (!recipe || underWay.current || !possible) return;
    const found = [...doubtsOf(table, recipe.settings), ...startDoubts(plan), ...endingDoubts(trial)];
    if (found.length) setDoubts(found);
    else goOn();
  };

  /** What was doubtful is agreed to. */
  const goOn = () => {
    setDoubts([]);
    if (first) setAsking(true);
    else void send();
  };

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      // A key that is held down repeats itself; it was pressed once.
      if (!event.repeat) start();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  return {
    start,
    doubts,
    insist: goOn,
    withdraw: () => setDoubts([]),
    asking,
    answered: (variation) => void send(variation),
    giveUp: () => setAsking(false),
    busy,
  };
}
