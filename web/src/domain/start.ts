/** What a training starts from, what of it learns, and when. */
import type { Recipe, Run, RunRecipe, Starter, StartFacts, StartingModel, StartPlan } from "../api/client";
import { withoutArea } from "./recipe";
import { plural } from "./words";

/** Where the weights are; one of the four. */
export interface StartSource {
  readonly model_id?: number;
  readonly starter?: string;
  readonly upload?: string;
  /** A run, for what that one started from. */
  readonly run_id?: number;
}

export type Learns = "all" | "new" | "new-then-all" | "after";

export interface Start extends StartSource {
  readonly words: string;
  readonly digest: string;
  readonly learns: Learns;
  readonly new_epochs: number;
  readonly frozen_to: string;
  readonly rate_factor: number;
  readonly moving_statistics: boolean;
  readonly new_statistics: boolean;
}

/** A run's recipe, to be used once more: what it started from is named by the run. */
export function recipeOf(run: Run): Recipe {
  const { start, ...held } = run.recipe;
  const rest = { ...held, preprocessing: withoutArea(held.preprocessing) };
  return start ? { ...rest, start: { ...start, run_id: run.id } } : rest;
}

/** A recipe that starts from nothing. */
export function fromNothing({ start: _, ...rest }: RunRecipe | Recipe): Recipe {
  return rest;
}

/** What goes over the wire: the words are the server's. */
export function recipeBody({ start, ...recipe }: Recipe) {
  if (!start) return recipe;
  const { words: _, digest: __, ...wish } = start;
  return { ...recipe, start: { starter: "", upload: "", ...wish } };
}

/** A fifth of the epochs is for what is new, as far as there are two. */
export function phaseEpochs(epochs: number): number {
  return Math.max(1, Math.min(epochs - 1, Math.round(epochs / 5)));
}

/** The recipe that starts from a model: network and preprocessing follow it. */
export function startedFrom(recipe: Recipe, source: StartSource, facts: StartFacts): Recipe {
  return {
    ...recipe,
    network: String(facts.network.name),
    preprocessing: withoutArea(facts.preprocessing),
    start: {
      ...source,
      words: facts.words,
      digest: facts.digest,
      learns: "all",
      new_epochs: 0,
      frozen_to: "",
      rate_factor: facts.rate_factor,
      moving_statistics: false,
      new_statistics: false,
    },
  };
}

/** More epochs for a model that has learnt, with a course of their own from a third of the rate. */
export function trainedOn(recipe: Recipe, source: StartSource, facts: StartFacts): Recipe {
  const started = startedFrom(recipe, source, facts);
  const rate = Number((recipe.settings.learning_rate / 3).toPrecision(2));
  return { ...started, settings: { ...started.settings, learning_rate: rate } };
}

/** What learns, with what belongs to it set to something that can be. */
export function withLearns(start: Start, learns: Learns, epochs: number, layers: readonly string[]): Start {
  return {
    ...start,
    learns,
    new_epochs: learns === "new-then-all" ? start.new_epochs || phaseEpochs(epochs) : 0,
    frozen_to: learns === "after" ? start.frozen_to || (layers[Math.floor(layers.length / 2)] ?? "") : "",
  };
}

export const LEARNS: readonly { value: Learns; words: string; does: string }[] = [
  { value: "all", words: "everything", does: "All layers learn from the first step on." },
  {
    value: "new",
    words: "only what is new",
    does: "What is taken over stays as it is. Quick, and enough where the pictures are of the same kind.",
  },
  {
    value: "new-then-all",
    words: "first what is new, then everything",
    does: "So that what is new does not spoil what is taken over while it knows nothing.",
  },
  {
    value: "after",
    words: "what comes after a layer",
    does: "Up to that layer everything stays as it is.",
  },
];

/** In a few words, for the Run sheet and what a run stood on. */
export function startWords(start: RunRecipe["start"] | Start | null | undefined): string {
  if (!start) return "from nothing";
  const learns: Record<string, string> = {
    all: "",
    new: ", only what is new learns",
    "new-then-all": `, only what is new learns for ${plural(start.new_epochs, "epoch")}`,
    after: `, ${start.frozen_to} and all before it stay`,
  };
  const rate = start.rate_factor === 1 ? "" : `, at ${start.rate_factor} of the rate`;
  return `from ${start.words}${learns[start.learns] ?? ""}${rate}`;
}

/** The first epoch in which everything learns, if there was one before it. */
export function thawedAt(recipe: RunRecipe): number | undefined {
  return recipe.start?.learns === "new-then-all" ? recipe.start.new_epochs + 1 : undefined;
}

/** Expected seconds of all phases, where they can be told. */
export function planSeconds(plan: StartPlan | undefined): number | null {
  if (!plan?.phases.length) return null;
  const all = plan.phases.map((phase) => phase.seconds);
  return all.every((one) => one !== null) ? all.reduce<number>((sum, one) => sum + (one ?? 0), 0) : null;
}

/** What else a network consists of has nothing to take over, and only lengthens a list. */
export function numberedLayers(plan: StartPlan): StartPlan["layers"] {
  return plan.layers.filter((layer) => layer.parameters > 0);
}

/** Taken over, and all: of the layers that have numbers. */
export function layerCounts(plan: StartPlan): { taken: number; all: number } {
  const numbered = numberedLayers(plan);
  return { taken: numbered.filter((layer) => layer.taken).length, all: numbered.length };
}

/** Up to so many pictures of a class a starter was measured, and helped. */
const FEW = 20;

/** The starter that is proposed: of the usual networks, one that was measured to help; none with many pictures. */
export function proposedStarter(
  starters: readonly Starter[],
  network: string,
  training: number,
  classes: number,
): Starter | undefined {
  if (!training || training > FEW * Math.max(1, classes)) return undefined;
  const helping = starters.filter((entry) => helps(ratios(entry)));
  return helping.find((entry) => entry.network === network) ?? helping[0];
}

/** Draws of the same pictures differ by more than this, so that a ratio this much above one is no harm. */
const EVEN = 1.05;

/** Whether errors are fewer in the mean of all kinds, and on none clearly more. */
function helps(found: readonly number[]): boolean {
  const product = found.reduce((all, ratio) => all * ratio, 1);
  return product < 1 && Math.max(...found) <= EVEN;
}

function ratios(entry: Starter): number[] {
  const found = Object.values(entry.helps);
  return found.length ? found : [Infinity];
}

/** Why a starter helps, with its figures. */
export function helpWords(entry: Starter): string {
  const found = ratios(entry);
  const [best, worst] = [Math.min(...found), Math.max(...found)];
  return Number.isFinite(worst)
    ? `With 10 pictures a class it erred ${best.toFixed(2)} to ${worst.toFixed(2)} times as often as from nothing, which was given up to four times as long.`
    : "It was not measured yet.";
}

/** Models whose words hold every word that was typed. */
export function matchingModels(models: readonly StartingModel[], typed: string): StartingModel[] {
  const wanted = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return models.filter((entry) => {
    const words =
      `${entry.project} run ${entry.run_number} ${entry.run_name} ${entry.network} ${entry.classes.join(" ")}`.toLowerCase();
    return wanted.every((word) => words.includes(word));
  });
}
