/** A few rows of the table of training settings, as the server sends it. */
import type { Setting, TrainingSettings } from "../src/api/client";

function row(name: string, facts: Partial<Setting>): Setting {
  return {
    name,
    words: name,
    help: "",
    part: "learning",
    kind: "number",
    default: 0,
    unit: "",
    low: 0,
    high: 1,
    above: false,
    choices: [],
    when: null,
    follows: null,
    far: 0,
    ...facts,
  };
}

function choices(...words: [string, string][]): Setting["choices"] {
  return words.map(([value, label]) => ({ value, words: label, does: "" }));
}

export const TABLE: readonly Setting[] = [
  row("learning_rate", {
    words: "Learning rate",
    part: "schedule",
    default: 0.003,
    high: 10,
    above: true,
    follows: { name: "optimizer", defaults: { adam: 0.003, sgd: 0.03 } },
    far: 10,
  }),
  row("optimizer", { kind: "choice", default: "adam", choices: choices(["adam", "Adam"], ["sgd", "SGD"]) }),
  row("momentum", { default: 0.9, when: { name: "optimizer", values: ["sgd"] } }),
  row("schedule", {
    kind: "choice",
    default: "cosine",
    choices: choices(["cosine", "falls"], ["rise-and-fall", "up, down"]),
  }),
];

/** Settings of a training, none of them what is offered today. */
export const SETTINGS: TrainingSettings = {
  epochs: 25,
  batch_size: 32,
  learning_rate: 0.003,
  seed: 1,
  keep: "lowest-validation-loss",
  end_when: "none",
  end_change: 0.001,
  end_within: 8,
  end_not_before: 10,
  reach: "none",
  reach_value: 0.95,
  time_limit: 0,
  optimizer: "adam",
  momentum: 0.9,
  nesterov: false,
  weight_decay: 0.01,
  schedule: "cosine",
  warm_up: 0.05,
  step_epochs: 10,
  step_factor: 0.1,
  clip_norm: 0,
  label_smoothing: 0,
  class_weights: "none",
  class_draws: "none",
};
