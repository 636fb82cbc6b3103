import { describe, expect, it } from "vitest";
import type { Run, TrainingSettings } from "../src/api/client";
import { changeWords, endingWords, newestResult, stateWords, wasTrained } from "../src/domain/runs";
import { doubtsOf, shownSettings, withSetting } from "../src/domain/trainingSettings";
import { TABLE } from "./settingsTable";

function run(facts: Partial<Run>, model = true): Run {
  return {
    number: 2,
    state: "ended",
    ended_by: "epochs",
    ending: { done: 25, epochs: 25, what: "", mend: "" },
    epochs_done: 25,
    figures: { validation_loss: 0.25, validation_accuracy: 0.9, validation_macro_f1: 0.875 },
    recipe: { settings: { epochs: 25, keep: "lowest-validation-loss" } },
    model: model ? { epoch: 7 } : null,
    previous: 1,
    changed: [],
    ...facts,
  } as unknown as Run;
}

const ENDING = {
  done: 0,
  epochs: 25,
  what: "",
  mend: "",
  by: "",
  epoch: 0,
  lookout: "",
  file: "",
  producer: "",
  folds: 0,
  difference: 0,
} as const;

describe("a run's ending", () => {
  it("is said from its numbers", () => {
    expect(endingWords(run({}))).toBe(
      "All 25 epochs done. Epoch 7 is kept: its validation loss of 0.250 is the lowest.",
    );
    const stopped = { ...ENDING, done: 3 };
    expect(endingWords(run({ ended_by: "stopped", ending: stopped }))).toMatch(
      /^Stopped by hand in epoch 4 of 25\. Epoch 7/,
    );
  });

  it("of one that did not come to its first epoch says so, and not that it is under way", () => {
    const ending = ENDING;
    expect(endingWords(run({ ended_by: "stopped", ending }, false))).toBe(
      "Stopped by hand before its first epoch was done. No epoch was finished, so nothing is kept.",
    );
    const failed = { ...ending, what: "A batch of 9 needs 80 GB.", mend: "Choose 2." };
    expect(endingWords(run({ ended_by: "failed", ending: failed }, false))).toMatch(
      /^Could not begin: A batch of 9 needs 80 GB\. Choose 2\./,
    );
  });

  it("before all epochs is told with what ended it", () => {
    const met = {
      ...ENDING,
      done: 14,
      by: "reached",
      epoch: 11,
      what: "Accuracy was 0.96; 0.95 was enough.",
    } as const;
    const early = run({ ended_by: "condition", ending: met });
    expect(endingWords(early)).toMatch(
      /^Ended early, after 14 of 25 epochs\. Accuracy was 0\.96; 0\.95 was enough\. Epoch 7/,
    );
    expect(stateWords(early)).toBe("ended early");
    expect(stateWords(run({ state: "resting", ended_by: null, ending: null, epochs_done: 3 }))).toBe(
      "rests after 3 of 25",
    );
  });

  it("names the figure by which it kept", () => {
    const recipe = { settings: { epochs: 25, keep: "highest-validation-macro-f1" } } as Run["recipe"];
    expect(endingWords(run({ recipe }))).toMatch(/its macro F1 of 0\.875 is the highest/);
    const last = { settings: { epochs: 25, keep: "last" } } as Run["recipe"];
    expect(endingWords(run({ recipe: last }))).toMatch(/Epoch 7 is kept: it was the last\./);
  });

  it("of a final training says whose steps it took, and that nothing can be told of it", () => {
    const repeats = { run: 12, run_name: "", pictures: 963, steps: 2196, until: 36 };
    expect(endingWords(run({ repeats }))).toMatch(
      /^It took the 2,196 steps of run 12 up to the state that was kept there, after epoch 36, at the same rates\. No picture/,
    );
  });

  it("of models that answer together says what they gain and how sure that is", () => {
    const member = {
      number: 7,
      name: "",
      weight: 0.5,
      accuracy: 0.94,
      loss: 0.2,
      parameters: 9,
      picture_ms: 1,
    };
    const together = {
      members: [member, { ...member, number: 9 }],
      fitted: true,
      pictures: 206,
      accuracy: 0.951,
      loss: 0.18,
      best: 1,
      gain: 0.011,
      interval: [-0.004, 0.026],
      chance: 0.31,
      loss_gain: 0.02,
      doubt: 8,
      picture_ms: 2,
    };
    const both = run({ ended_by: "combined", ending: { ...ENDING, together } });
    expect(endingWords(both)).toBe(
      "2 models that answer as one; nothing was trained. On 206 pictures that none of them learnt from, each by weights fitted on others: accuracy 0.951, +0.011 against run 9 alone (95 % −0.004 to +0.026; by chance in 31 of 100), loss 0.180.",
    );
    expect(stateWords(both)).toBe("together");
    expect([both, run({ ended_by: "brought" }), run({})].map(wasTrained)).toEqual([false, false, true]);
  });

  it("is not there while it goes on", () => {
    expect(endingWords(run({ state: "training", ended_by: null, ending: null }))).toBe("");
  });
});

describe("the Ledger", () => {
  it("says where a run stands", () => {
    expect(stateWords(run({ state: "waiting", ended_by: null }))).toBe("waiting");
    expect(stateWords(run({ state: "training", ended_by: null, epochs_done: 4 }))).toBe("epoch 5 of 25");
    expect(stateWords(run({ state: "training", ended_by: null, epochs_done: 25 }))).toBe("epoch 25 of 25");
    expect(stateWords(run({}))).toBe("done");
    expect(stateWords(run({ ended_by: "stopped" }))).toBe("stopped");
  });

  it("says what each run changed", () => {
    const changed: Run["changed"] = [
      { what: "settings.learning_rate", before: 0.003, after: 0.01 },
      { what: "settings.nesterov", before: false, after: true },
      { what: "variation.mirror", before: { probability: 0.5 }, after: null },
      { what: "variation.turn", before: null, after: { probability: 1 } },
      { what: "variation.brightness", before: { low: 0.8 }, after: { low: 0.5 } },
      { what: "network", before: "small", after: "medium" },
      { what: "pictures", before: null, after: null },
    ];
    expect(changeWords(run({ changed }))).toBe(
      "learning rate 0.003 → 0.01, nesterov off → on, mirror left out, turn added, brightness otherwise, network small → medium, pictures, labels or areas",
    );
    expect(changeWords(run({}))).toBe("nothing");
    expect(changeWords(run({ previous: null }))).toBe("the first");
  });

  it("shows the newest that was judged", () => {
    const judged = run({ id: 1, validation: { accuracy: 1 } } as Partial<Run>);
    const kept = run({ id: 2, validation: null } as Partial<Run>);
    expect(newestResult([kept, judged])).toBe(judged);
    expect(newestResult([kept])).toBe(kept);
    expect(newestResult([run({}, false)])).toBeUndefined();
  });
});

describe("training settings", () => {
  const settings = { learning_rate: 0.003, optimizer: "adam", momentum: 0.9 } as TrainingSettings;

  it("are shown where they have a say", () => {
    const names = (now: TrainingSettings) => shownSettings(TABLE, "learning", now).map((entry) => entry.name);
    expect(names(settings)).toEqual(["optimizer", "schedule"]);
    expect(names({ ...settings, optimizer: "sgd" })).toEqual(["optimizer", "momentum", "schedule"]);
  });

  it("let the rate follow the optimizer until somebody sets it", () => {
    const followed = withSetting(TABLE, settings, "optimizer", "sgd");
    expect(followed).toMatchObject({ optimizer: "sgd", learning_rate: 0.03 });
    expect(withSetting(TABLE, followed, "optimizer", "adam").learning_rate).toBe(0.003);
    const own = withSetting(TABLE, settings, "learning_rate", 0.02);
    expect(withSetting(TABLE, own, "optimizer", "sgd")).toMatchObject({ learning_rate: 0.02 });
  });

  it("question a rate that is far from usual", () => {
    expect(doubtsOf(TABLE, settings)).toEqual([]);
    expect(doubtsOf(TABLE, { ...settings, learning_rate: 0.0003 })).toEqual([]);
    expect(doubtsOf(TABLE, { ...settings, learning_rate: 3 })).toEqual([
      {
        words: "A learning rate of 3 is 1000 times more than the usual 0.003.",
        name: "learning_rate",
        usual: 0.003,
      },
    ]);
    expect(doubtsOf(TABLE, { ...settings, optimizer: "sgd", learning_rate: 0.3 })).toEqual([]);
  });
});
