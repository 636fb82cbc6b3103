import { describe, expect, it } from "vitest";
import type { Recipe, Run, Setting, Split } from "../src/api/client";
import { ratePath } from "../src/domain/recipe";
import { stoodOn } from "../src/domain/stoodOn";

const recipe = {
  network: "small",
  preprocessing: {
    size: 32,
    fit: "distort",
    colour: "grey",
    ground: [0, 0, 0],
    border: [0, 0, 0],
    scale: "unit",
    views: "one",
  },
  variation: { operations: [], strength: 1, drawn: 0 },
  settings: { epochs: 5, batch_size: 8, learning_rate: 0.1, seed: 3, optimizer: "sgd", schedule: "constant" },
} as unknown as Recipe;

const run = {
  number: 4,
  split_id: 7,
  split_number: 2,
  counts: { training: 1200, validation: 20 },
  classes: [{}, {}],
  parameters: 900,
  recipe,
} as unknown as Run;

const table = [
  { name: "epochs", part: "schedule", choices: [] },
  { name: "batch_size", part: "schedule", choices: [] },
  { name: "optimizer", part: "learning", choices: [{ value: "sgd", words: "SGD" }] },
] as unknown as Setting[];

const now = (sheet: Recipe, split = { id: 7, number: 2 }) =>
  Object.fromEntries(
    stoodOn(run, sheet, split as unknown as Split, table)
      .filter((part) => part.now)
      .map((part) => [part.title, part.now]),
  );

describe("what a run stood on", () => {
  it("is told with counts as they were", () => {
    const parts = stoodOn(run, recipe, undefined, table);
    expect(parts[0]?.words).toBe("split 2: 1,200 / 20 / 0, 2 classes");
    expect(parts[3]?.words).toBe("small, 900 parameters");
    expect(parts.map((part) => part.now).join("")).toBe("");
  });

  it("is held against the Run sheet, part by part", () => {
    expect(now(recipe)).toEqual({});
    const settings = { ...recipe.settings, epochs: 9, optimizer: "adam" };
    const other = {
      ...recipe,
      network: "medium",
      settings,
      preprocessing: { ...recipe.preprocessing, size: 48 },
    };
    expect(now(other as Recipe, { id: 8, number: 3 })).toEqual({
      Pictures: "split 3",
      Preprocessing: "size 32 → 48",
      Network: "medium",
      Schedule: "epochs 5 → 9",
      Learning: "optimizer sgd → adam",
    });
  });
});

describe("the line of the learning rate", () => {
  it("reaches from edge to edge, the highest on top", () => {
    expect(ratePath([0, 2, 1])).toBe("M0.00,40.00L50.00,2.00L100.00,21.00");
    expect(ratePath([])).toBe("");
    expect(ratePath([0, 0])).toBe("");
  });
});
