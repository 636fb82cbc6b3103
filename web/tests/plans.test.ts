/** Plans: where values stand on a strip, who is best, what is sifted, and the words for it. */
import { describe, expect, it } from "vitest";
import type { Knob, KnobOffer, RunPlan, Trial } from "../src/api/client";
import { coursePath, curvePath, scaleOver, unbeaten, usualRange } from "../src/domain/planPlots";
import {
  bestWords,
  carriedWords,
  costWords,
  knobOf,
  leftWords,
  optimismWords,
  otherForm,
  outcomeWords,
  placeOf,
  planStateWords,
  rangeWords,
  shades,
  sortedTrials,
  trialStateWords,
  trialValues,
  trustWords,
  typedValues,
  valueAt,
  valueWords,
  within,
} from "../src/domain/plans";

const RATE: Knob = {
  name: "learning_rate",
  words: "Learning rate",
  values: [],
  low: 0.001,
  high: 0.1,
  by_ratio: true,
};
const BATCH: Knob = {
  name: "batch_size",
  words: "Batch size",
  values: [8, 16, 32],
  low: 0,
  high: 0,
  by_ratio: false,
};

function trial(
  number: number,
  rate: number,
  batch: number,
  value: number | null,
  more: Partial<Trial> = {},
): Trial {
  return {
    trial: number,
    run_id: 100 + number,
    number: 10 + number,
    name: `Trial ${number}`,
    values: { learning_rate: rate, batch_size: batch },
    fold: null,
    round: null,
    state: "ended",
    ended_by: "epochs",
    ending: "",
    mend: "",
    epochs_done: 9,
    until: 9,
    epochs: 9,
    whole: true,
    value,
    figures: {},
    rungs: { 0: value, 1: value },
    count: 100,
    right: 90,
    interval: [0.8, 0.95],
    train_s: 10 * number,
    parameters: 1000 * number,
    listed: false,
    model_id: 200 + number,
    ...more,
  };
}

const DROPPED = { whole: false, ended_by: "condition" as const, epochs_done: 3, until: 3 };

function plan(trials: Trial[], more: Partial<RunPlan> = {}): RunPlan {
  return {
    id: 1,
    project_id: 1,
    kind: "trials",
    question: "Which rate",
    state: "ended",
    ended_by: "done",
    ending: "",
    mend: "",
    created_at: "2026-11-29T10:00:00Z",
    ended_at: null,
    runs: trials.length,
    ended: trials.length,
    failed: 0,
    total: trials.length,
    train_s: 60,
    best: 1,
    value: 0.9,
    interval: [0.85, 0.94],
    by: "validation_accuracy",
    rising: true,
    way: "spread",
    seed: 1,
    minutes: 0,
    go_on: false,
    space: [RATE, BATCH],
    dropping: { factor: 3, least: 3, waits: false },
    folds: null,
    rungs: [3, 9],
    network: "plain 5",
    epochs: 9,
    counts: {},
    classes: [],
    cost: { trials: 6, rungs: [3, 9], at_rungs: [6, 2], epochs: 30, seconds: 120, one_s: 20 },
    epochs_done: 12,
    epochs_planned: 30,
    left_s: 90,
    course: [],
    carried: { trials: trials.length, epochs: 3, fewest: 8, settings: [] },
    found: null,
    answers_run: null,
    trials,
    ...more,
  };
}

const THREE = plan([
  trial(1, 0.01, 16, 0.93),
  trial(2, 0.001, 8, 0.97, { ...DROPPED, rungs: { 0: 0.97 } }),
  trial(3, 0.1, 32, 0.91),
]);

describe("a strip", () => {
  it("places a value by ratio, or in the middle of its part of a list", () => {
    expect(placeOf(RATE, 0.01)).toBeCloseTo(0.5);
    expect(placeOf({ ...RATE, by_ratio: false }, 0.0505)).toBeCloseTo(0.5);
    expect(placeOf(BATCH, 16)).toBeCloseTo(0.5);
    expect(placeOf(BATCH, 64)).toBeUndefined();
    expect(placeOf(RATE, undefined)).toBeUndefined();
    expect(placeOf({ ...RATE, low: 0.01, high: 0.01 }, 0.01)).toBe(0.5);
  });

  it("gives the value of a place back", () => {
    for (const place of [0, 0.25, 0.5, 1]) expect(placeOf(RATE, valueAt(RATE, place))).toBeCloseTo(place, 2);
    expect([0, 0.4, 1].map((place) => valueAt(BATCH, place))).toEqual([8, 16, 32]);
  });

  it("sifts by every range that was chosen, and says it", () => {
    expect([...within(THREE, {})]).toEqual([1, 2, 3]);
    expect([...within(THREE, { learning_rate: [0.4, 1] })]).toEqual([1, 3]);
    expect([...within(THREE, { learning_rate: [0.4, 1], batch_size: [0, 0.6] })]).toEqual([1]);
    expect(rangeWords(BATCH, [0.3, 1])).toBe("16, 32");
    expect(rangeWords(RATE, [0, 0.5])).toBe("0.001 to 0.01");
  });

  it("shades trials with more of the budget above those that were dropped", () => {
    expect(Object.fromEntries(shades(THREE))).toEqual({ 1: 1, 3: 0.5, 2: 0 });
    const losses = plan([trial(1, 0.01, 8, 0.5), trial(2, 0.01, 8, 0.2)], { rising: false });
    expect(shades(losses).get(2)).toBe(1);
    expect(shades(plan([trial(1, 0.01, 8, 0.9, { ended_by: "failed" })])).size).toBe(0);
  });
});

describe("the table of trials", () => {
  it("is put in any order, with what has no figure last", () => {
    const numbers = (order: Parameters<typeof sortedTrials>[1], falling: boolean, of = THREE) =>
      sortedTrials(of, order, falling).map((one) => one.trial);
    expect(numbers("value", true)).toEqual([1, 3, 2]);
    expect(numbers("knob:batch_size", false)).toEqual([2, 1, 3]);
    expect(numbers("train_s", true)).toEqual([3, 2, 1]);
    const waits = plan([trial(1, 0.1, 8, null, { rungs: {} }), trial(2, 0.1, 8, 0.5)]);
    expect(numbers("value", true, waits)).toEqual([2, 1]);
    expect(numbers("value", false, waits)).toEqual([2, 1]);
  });

  it("says how far each came", () => {
    const [one, two] = THREE.trials as [Trial, Trial];
    expect(trialStateWords(one)).toBe("9 epochs");
    expect(trialStateWords(two)).toBe("dropped after 3");
    expect(trialStateWords({ ...two, state: "resting" })).toBe("rests after 3");
    expect(trialStateWords({ ...two, state: "waiting", until: 9 })).toBe("goes on to epoch 9");
    expect(trialStateWords({ ...two, state: "waiting", epochs_done: 0 })).toBe("waits");
    expect(trialStateWords({ ...two, state: "training", until: 9 })).toBe("epoch 4 of 9");
    expect(trialStateWords({ ...two, ended_by: "failed" })).toBe("failed");
    expect(trialValues(THREE, one)).toBe("learning rate 0.01, batch size 16");
    expect(trialValues(THREE, { ...one, fold: 2, name: "Fold 2 of 5" })).toBe("Fold 2 of 5");
    expect([true, 0.00123456, "adam", undefined].map(valueWords)).toEqual(["yes", "0.00123", "adam", "–"]);
  });
});

describe("what a plan says", () => {
  it("tells the best with its interval and among how many it was chosen", () => {
    expect(bestWords(THREE)).toBe(
      "accuracy 0.930 (95 % 0.800 to 0.950) on 100 validation pictures, chosen among 3 trials.",
    );
    expect(bestWords({ ...THREE, best: null })).toBe("");
    const optimism = { chosen: 1, score: 0.93, corrected: 0.912, interval: [0.87, 0.95], trials: 3 };
    const found = { final_error: "", optimism };
    expect(optimismWords({ ...THREE, found })).toContain(
      "what such a choice gives is 0.912 (95 % 0.870 to 0.950)",
    );
    expect(optimismWords(THREE)).toBe("");
  });

  it("says nothing of what mattered below eight trials, and how far to trust it above", () => {
    expect(trustWords(THREE)).toBe("Below 8 trials nothing is said of which settings matter; there are 3.");
    const settings = [
      { name: "learning_rate", share: 0.42, chance: 0.0005, trials: 12 },
      { name: "batch_size", share: 0.02, chance: 0.6, trials: 12 },
    ];
    const many = { ...THREE, carried: { trials: 12, epochs: 3, fewest: 8, settings } };
    expect(carriedWords(many, "learning_rate")).toBe("42 % of the order, by chance under 0.001");
    expect(carriedWords(many, "batch_size")).toBe("no more than chance gives (0.60)");
    expect(carriedWords(many, "strength")).toBe("");
    expect(carriedWords({ ...many, carried: { ...many.carried, trials: 3 } }, "learning_rate")).toBe("");
    expect(trustWords(many)).toContain("after 3 epochs, which all of them had");
    expect(trustWords(many)).toContain("So few find the strongest setting only.");
  });

  it("says where it stands, what is left, and what it came to", () => {
    expect(planStateWords({ ...THREE, state: "running", total: 6 })).toBe("under way, 3 of 6 begun");
    expect(planStateWords({ ...THREE, state: "paused", total: 6 })).toBe("paused, 3 of 6 begun");
    expect(leftWords({ ...THREE, state: "running" })).toBe("12 of about 30 epochs, 2 min left");
    expect(leftWords(THREE)).toBe("");
    expect(costWords(THREE.cost)).toBe("6 trainings, 30 epochs, about 2 min");
    expect(costWords({ ...THREE.cost, seconds: null })).toBe("6 trainings, 30 epochs");
    expect(outcomeWords(THREE)).toBe("trial 1 was best; on other pictures 0.900 (0.850 to 0.940)");
    expect(outcomeWords({ ...THREE, kind: "folds" })).toBe("accuracy 0.900 (0.850 to 0.940)");
    expect(outcomeWords({ ...THREE, value: null, ending: "Stopped." })).toBe("Stopped.");
    expect(outcomeWords({ ...THREE, state: "running" })).toBe("");
  });
});

describe("what is varied", () => {
  const offer: KnobOffer = {
    name: "batch_size",
    words: "Batch size",
    help: "",
    kind: "whole",
    values: [16, 32],
    low: 8,
    high: 64,
    by_ratio: false,
    ranged: true,
  };

  it("begins as a list where there is one, and changes its form and back", () => {
    const knob = knobOf(offer);
    expect(knob.values).toEqual([16, 32]);
    const ranged = otherForm(knob, offer);
    expect([ranged.values, ranged.low, ranged.high]).toEqual([[], 8, 64]);
    expect(otherForm(ranged, offer).values).toEqual([16, 32]);
    expect(knobOf({ ...offer, values: [] }).high).toBe(64);
  });

  it("reads a list as it was typed", () => {
    expect(typedValues("8, 16;32", "whole")).toEqual([8, 16, 32]);
    expect(typedValues("0.1 0.2", "number")).toEqual([0.1, 0.2]);
    expect(typedValues("8, 16.5", "whole")).toBeUndefined();
    expect(typedValues("8, many", "number")).toBeUndefined();
    expect(typedValues("", "number")).toBeUndefined();
  });
});

describe("a plan's plots", () => {
  it("have round ticks over what there is, and a middle where all is one value", () => {
    const scale = scaleOver([0.2, 0.92], 100, true);
    expect(scale.ticks).toEqual([0.2, 0.4, 0.6, 0.8]);
    expect([scale.at(0.92), scale.at(0.2)]).toEqual([0, 100]);
    expect(scaleOver([0.5, 0.5], 100, false).at(0.5)).toBeCloseTo(50);
    expect(scaleOver([], 100, false).low).toBe(0);
  });

  it("draw curves with their gaps, within the frame", () => {
    const [x, y] = [scaleOver([1, 3], 20, false), scaleOver([0, 1], 10, true)];
    expect(curvePath([0, null, 5], x, y, { width: 20, height: 10 })).toBe("M0.0 10.0M20.0 0.0");
    const far = Array.from({ length: 50 }, (_, n) => (n === 0 ? 99 : 0.5 + n / 1000));
    expect(Math.max(...usualRange([far]))).toBeLessThan(1);
    expect(usualRange([[1, null, 2]])).toEqual([1, 2]);
    // One wild first epoch among few curves is bounded too; equal values stay as they are.
    const few = [
      [8, 1.9, 1.2],
      [2.1, 1.5, 1.1],
      [1.8, 1.4, 0.9],
    ];
    expect(Math.max(...usualRange(few))).toBe(2.1);
    expect(Math.min(...usualRange(few))).toBe(0.9);
    expect(usualRange([[1, 1, 1, 1, 1, 1, 1, 1, 3]])).toContain(3);
  });

  it("join those that no other is better and cheaper than", () => {
    expect(unbeaten(THREE, "parameters").map((one) => one.trial)).toEqual([1]);
    const better = plan([trial(1, 0.1, 8, 0.9), trial(2, 0.1, 8, 0.95), trial(3, 0.1, 8, 0.94)]);
    expect(unbeaten(better, "train_s").map((one) => one.trial)).toEqual([1, 2]);
  });

  it("hold the best so far until a better one comes", () => {
    const course = [
      { trial: 1, spent_s: 10, value: 0.5 },
      { trial: 2, spent_s: 30, value: 0.75 },
    ];
    const [x, y] = [scaleOver([0, 40], 40, false), scaleOver([0.5, 0.75], 10, true)];
    expect(coursePath({ ...THREE, course }, x, y)).toBe("M10.0 10.0H30.0V0.0H40.0");
    expect(coursePath(THREE, x, y)).toBe("");
  });
});
