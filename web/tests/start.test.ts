/** What a training starts from, in words and as it goes over the wire. */
import { describe, expect, it } from "vitest";
import type { Recipe, Run, Starter, StartFacts, StartingModel, StartPlan } from "../src/api/client";
import { changeInWords } from "../src/domain/runs";
import {
  fromNothing,
  helpWords,
  layerCounts,
  matchingModels,
  phaseEpochs,
  planSeconds,
  proposedStarter,
  recipeBody,
  recipeOf,
  type Start,
  startedFrom,
  startWords,
  thawedAt,
  trainedOn,
  withLearns,
} from "../src/domain/start";

const RECIPE = {
  network: "plain 5",
  preprocessing: { size: 64, colour: "rgb" },
  settings: { epochs: 20 },
} as unknown as Recipe;
const FACTS = {
  words: "run 1 of Valley",
  digest: "ab",
  network: { name: "plain 4" },
  preprocessing: { size: 16, colour: "rgb" },
  rate_factor: 0.3,
} as unknown as StartFacts;
const STARTED = startedFrom(RECIPE, { model_id: 7 }, FACTS);
const START = STARTED.start as Start;

describe("a start", () => {
  it("brings network and preprocessing of the model along", () => {
    expect(STARTED).toMatchObject({ network: "plain 4", preprocessing: { size: 16 } });
    expect(START).toMatchObject({ model_id: 7, learns: "all", rate_factor: 0.3 });
    expect(fromNothing(STARTED)).not.toHaveProperty("start");
  });

  it("that goes on for more epochs begins at a third of the rate", () => {
    const on = trainedOn({ ...RECIPE, settings: { learning_rate: 0.006 } } as Recipe, { model_id: 7 }, FACTS);
    expect(on).toMatchObject({ start: { model_id: 7 }, settings: { learning_rate: 0.002 } });
  });

  it("goes over the wire without the words, which are the server's", () => {
    expect(recipeBody(STARTED)).toMatchObject({
      start: { model_id: 7, learns: "all", starter: "", upload: "" },
    });
    expect(recipeBody(STARTED) as object).not.toHaveProperty("start.digest");
    expect(recipeBody(STARTED) as object).not.toHaveProperty("start.words");
    expect(recipeBody(RECIPE)).toEqual(RECIPE);
  });

  it("of a run that is repeated is named by the run", () => {
    const { model_id: _, ...told } = START;
    const run = { id: 12, recipe: { ...RECIPE, start: told } } as unknown as Run;
    expect(recipeOf(run).start).toMatchObject({ run_id: 12, words: "run 1 of Valley" });
    expect(recipeOf({ id: 3, recipe: { ...RECIPE, start: null } } as unknown as Run)).toEqual(RECIPE);
  });

  it("has phases that both have epochs", () => {
    expect([1, 2, 5, 20, 150].map(phaseEpochs)).toEqual([1, 1, 1, 4, 30]);
    const two = withLearns(START, "new-then-all", 20, []);
    expect(two).toMatchObject({ learns: "new-then-all", new_epochs: 4, frozen_to: "" });
    expect(withLearns(two, "after", 20, ["a", "b", "c"])).toMatchObject({ new_epochs: 0, frozen_to: "b" });
    expect(thawedAt({ ...STARTED, start: { ...two } } as never)).toBe(5);
    expect(thawedAt({ ...STARTED, start: { ...START } } as never)).toBeUndefined();
  });

  it("is said in words", () => {
    expect(startWords(undefined)).toBe("from nothing");
    expect(startWords({ ...START, learns: "new-then-all", new_epochs: 1, rate_factor: 1 })).toBe(
      "from run 1 of Valley, only what is new learns for 1 epoch",
    );
    expect(startWords({ ...START, learns: "after", frozen_to: "conv_1" })).toBe(
      "from run 1 of Valley, conv_1 and all before it stay, at 0.3 of the rate",
    );
    expect(changeInWords({ what: "start.words", before: null, after: "run 1 of Valley" })).toBe(
      "starts from nothing → run 1 of Valley",
    );
  });
});

describe("a plan", () => {
  const phase = { first: 1, epochs: 2, layers: ["b"], parameters: 5, frozen_to: "", seconds: 3 };
  const plan = {
    layers: [
      { id: "a", parameters: 4, taken: true },
      { id: "pool", parameters: 0, taken: false },
      { id: "b", parameters: 5, taken: false },
    ],
    phases: [phase, { ...phase, seconds: 4 }],
  } as unknown as StartPlan;

  it("counts layers that have numbers, and the time of both phases", () => {
    expect(layerCounts(plan)).toEqual({ taken: 1, all: 2 });
    expect(planSeconds(plan)).toBe(7);
    expect(planSeconds({ ...plan, phases: [{ ...phase, seconds: null }] })).toBeNull();
    expect(planSeconds(undefined)).toBeNull();
  });
});

describe("starters", () => {
  const starter = (network: string, helps: Record<string, number>) =>
    ({ name: `drawings, ${network}`, network, helps }) as unknown as Starter;
  const good = starter("plain 8", { crystals: 0.4, things: 0.25 });
  const all = [starter("residual 8", { crystals: 0.5, things: 1.2 }), good];

  it("are proposed for few pictures, and only where measurements speak for them", () => {
    expect(proposedStarter(all, "plain 8", 70, 7)).toBe(good);
    expect(proposedStarter(all, "residual 8", 70, 7)).toBe(good);
    expect(proposedStarter(all, "plain 8", 141, 7)).toBeUndefined();
    expect(proposedStarter(all, "plain 8", 0, 7)).toBeUndefined();
    expect(proposedStarter([starter("plain 8", {})], "plain 8", 70, 7)).toBeUndefined();
    // Even on one kind and better on others; worse on one; even on all.
    const even = starter("plain 8", { crystals: 0.7, strokes: 1.04 });
    expect(proposedStarter([even], "plain 8", 70, 7)).toBe(even);
    expect(proposedStarter([starter("plain 8", { a: 0.5, b: 1.1 })], "plain 8", 70, 7)).toBeUndefined();
    expect(proposedStarter([starter("plain 8", { a: 1, b: 1.01 })], "plain 8", 70, 7)).toBeUndefined();
  });

  it("say how much they were measured to help", () => {
    expect(helpWords(good)).toContain("0.25 to 0.40 times");
    expect(helpWords(starter("plain 8", {}))).toContain("not measured");
  });

  it("and models are found by any of their words", () => {
    const models = [
      { project: "Valley", run_number: 1, run_name: "", network: "plain 4", classes: ["plate", "rime"] },
      { project: "Ridge", run_number: 12, run_name: "long", network: "plain 8", classes: ["needle"] },
    ] as unknown as StartingModel[];
    expect(matchingModels(models, "ridge RUN 12")).toEqual([models[1]]);
    expect(matchingModels(models, "rime")).toEqual([models[0]]);
    expect(matchingModels(models, " ")).toEqual(models);
    expect(matchingModels(models, "valley needle")).toEqual([]);
  });
});
