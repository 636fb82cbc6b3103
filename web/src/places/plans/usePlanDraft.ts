/** What a plan is to be while it is put together. */
import { useState } from "react";
import type { Knob, KnobOffer, Recipe, RunPlanCreate } from "../../api/client";
import { type Figure, KINDS, knobBody, type PlanKind } from "../../domain/plans";
import { recipeBody } from "../../domain/start";

export type Way = NonNullable<RunPlanCreate["way"]>;

export interface PlanDraft {
  readonly kind: PlanKind;
  readonly setKind: (kind: PlanKind) => void;
  readonly question: string;
  readonly setQuestion: (question: string) => void;
  readonly offers: readonly KnobOffer[];
  readonly space: readonly Knob[];
  readonly setSpace: (space: readonly Knob[]) => void;
  readonly way: Way;
  readonly trials: number;
  readonly copies: number;
  readonly folds: number;
  readonly rounds: number;
  readonly dropping: boolean;
  readonly factor: number;
  readonly least: number;
  readonly waits: boolean;
  readonly minutes: number;
  readonly by: Figure;
  readonly seed: number;
  readonly goOn: boolean;
  readonly set: (changes: Partial<Chosen>) => void;
  /** What is sent; undefined while something is missing. */
  readonly body: RunPlanCreate | undefined;
}

type Chosen = Pick<
  PlanDraft,
  | "way"
  | "trials"
  | "copies"
  | "folds"
  | "rounds"
  | "dropping"
  | "factor"
  | "least"
  | "waits"
  | "minutes"
  | "by"
  | "seed"
  | "goOn"
>;

interface Asked {
  recipe: Recipe;
  splitId: number | undefined;
  offers: readonly KnobOffer[];
  proposed: readonly Knob[];
}

export function usePlanDraft({ recipe, splitId, offers, proposed }: Asked): PlanDraft {
  const [kind, setKind] = useState<PlanKind>("trials");
  const [question, setQuestion] = useState<string>();
  const [space, setSpace] = useState(proposed);
  const [chosen, setChosen] = useState<Chosen>({
    way: "spread",
    trials: 24,
    copies: 5,
    folds: 5,
    rounds: 1,
    dropping: true,
    factor: 3,
    // Before that the rate still rises, and who is first then says little.
    least: Math.max(1, Math.round(recipe.settings.epochs / 3)),
    waits: false,
    minutes: 0,
    by: "validation_loss",
    seed: 1,
    goOn: false,
  });
  const asked = question ?? KINDS.find((entry) => entry.value === kind)?.question ?? "";
  return {
    kind,
    setKind,
    question: asked,
    setQuestion,
    offers,
    space,
    setSpace,
    ...chosen,
    set: (changes) => setChosen((before) => ({ ...before, ...changes })),
    body: asked.trim() ? bodyOf({ kind, question: asked.trim(), space, chosen, recipe, splitId }) : undefined,
  };
}

interface Whole extends Pick<Asked, "recipe" | "splitId"> {
  kind: PlanKind;
  question: string;
  space: readonly Knob[];
  chosen: Chosen;
}

function bodyOf({ kind, question, space, chosen, recipe, splitId }: Whole): RunPlanCreate {
  // What folds are judged on chooses nothing.
  const own =
    kind === "folds" ? { ...recipe, settings: { ...recipe.settings, keep: "last" as const } } : recipe;
  const search = kind === "trials";
  return {
    kind,
    question,
    recipe: recipeBody(own),
    split_id: splitId ?? null,
    by: chosen.by,
    seed: chosen.seed,
    space: search ? space.map(knobBody) : [],
    way: chosen.way,
    trials: search ? chosen.trials : kind === "copies" ? chosen.copies : 1,
    dropping:
      search && chosen.dropping
        ? {
            factor: chosen.factor,
            least: Math.min(chosen.least, recipe.settings.epochs),
            waits: chosen.waits,
          }
        : null,
    minutes: chosen.minutes,
    folds: kind === "folds" ? { count: chosen.folds, rounds: chosen.rounds } : null,
    go_on: chosen.goOn,
  };
}
