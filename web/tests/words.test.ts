import { describe, expect, it } from "vitest";
import type { ClassOf, Job, Network } from "../src/api/client";
import { isActive, jobWords, paceWords, tabTitle, trayWords, underWay } from "../src/domain/jobs";
import { labelKey } from "../src/domain/labelKeys";
import { networkLabel, ruleWords, scheduleWords, short, stackBars, steps } from "../src/domain/recipe";
import { bytes, duration, percent, plural, score } from "../src/domain/words";
import { SETTINGS, TABLE } from "./settingsTable";

describe("words", () => {
  it("counts in words", () => {
    expect([plural(1, "picture"), plural(1400, "picture"), plural(2, "class", "classes")]).toEqual([
      "1 picture",
      "1,400 pictures",
      "2 classes",
    ]);
  });

  it("writes numbers as coarse as they are", () => {
    expect([duration(0.4), duration(61), duration(600), duration(7200)]).toEqual([
      "under 1 s",
      "61 s",
      "10 min",
      "2.0 h",
    ]);
    expect([bytes(12), bytes(2048), bytes(3 * 1024 * 1024)]).toEqual(["12 B", "2 KB", "3.0 MB"]);
    expect([score(0.12345), score(null), percent(1, 3), percent(0, 0)]).toEqual(["0.123", "–", "33 %", "–"]);
  });
});

function job(facts: Partial<Job>): Job {
  return {
    id: 1,
    project_id: 1,
    project_name: "p",
    kind: "train",
    title: "Run 1",
    subject_id: 1,
    state: "running",
    stage: "Training",
    done: 30,
    total: 100,
    left_s: 42,
    line: [],
    error: null,
    stop_asked: false,
    created_at: "",
    started_at: null,
    ended_at: null,
    ...facts,
  };
}

describe("jobs", () => {
  it("say stage, count and time left", () => {
    expect(jobWords(job({}))).toBe("Training 30 of 100, 42 s left");
    // Seventy steps of 12 pictures are left, in 42 seconds.
    expect(paceWords(job({}), 12)).toBe(", 20 pictures a second");
    expect(paceWords(job({ left_s: null }), 12)).toBe("");
    // Of five epochs of twenty steps the second is half done.
    expect(underWay(job({ line: [0.5, 0.4] }), 5)).toEqual({ losses: [0.5, 0.4], part: 0.5 });
    expect(underWay(job({}), 5)).toBeUndefined();
    expect(jobWords(job({ total: 1, left_s: null }))).toBe("Training");
    expect(jobWords(job({ stop_asked: true }))).toBe("Stopping …");
    expect(jobWords(job({ state: "failed", error: "It broke." }))).toBe("It broke.");
  });

  it("are summed up with what matters first", () => {
    expect(
      trayWords([
        job({}),
        job({ state: "waiting", stage: "" }),
        job({ state: "failed" }),
        job({ state: "done" }),
      ]),
    ).toBe("1 under way, 1 waiting, 1 failed");
    expect(trayWords([])).toBe("Nothing under way");
    expect(isActive(job({ state: "stopped" }))).toBe(false);
  });
});

describe("the tab's title", () => {
  it("carries how far a training is, before other work", () => {
    expect(tabTitle([])).toBe("Vast Orchard");
    const other = job({ kind: "import", title: "Bring in", done: 3, total: 4 });
    expect(tabTitle([other])).toBe("75 % Bring in · Vast Orchard");
    const trains = job({ kind: "train", title: "Run 5", done: 43.9, total: 100 });
    expect(tabTitle([other, trains, job({ state: "waiting" })])).toBe("43 % Run 5 · Vast Orchard");
    expect(tabTitle([job({ kind: "train", title: "Run 5", done: 0, total: 0 })])).toBe(
      "Run 5 · Vast Orchard",
    );
  });
});

describe("label keys", () => {
  const classes = [{ id: 40 }, { id: 7 }] as ClassOf[];

  it("mean the first classes by place, none, or asking", () => {
    expect(labelKey("2", classes)).toEqual({ kind: "label", classId: 7 });
    expect(labelKey("0", classes)).toEqual({ kind: "label", classId: null });
    expect(labelKey("L", classes)).toEqual({ kind: "ask" });
  });

  it("mean nothing where there is no such class", () => {
    expect(labelKey("3", classes)).toBeUndefined();
    expect(labelKey("x", classes)).toBeUndefined();
  });
});

describe("recipe", () => {
  const settings = SETTINGS;

  function layer(
    place: number,
    kind: string,
    shape: number[],
    parameters: number,
    receptive_field: number,
  ): Network["layers"][number] {
    return {
      place,
      id: `${kind}_${place}`,
      kind,
      sources: [place - 1],
      shape,
      parameters,
      receptive_field,
      multiply_adds: 0,
    };
  }

  it("is said in words", () => {
    expect(scheduleWords(settings)).toBe("25 epochs of batches of 32, rate 0.003, seed 1");
    expect(steps(963, settings)).toBe(31 * 25);
    expect(ruleWords(TABLE, settings)).toBe("Adam, rate falls");
    expect(
      ruleWords(TABLE, {
        ...settings,
        optimizer: "sgd",
        schedule: "rise-and-fall",
        class_weights: "balanced",
        label_smoothing: 0.1,
        clip_norm: 2,
      }),
    ).toBe("SGD, rate up, down, classes count alike, smoothed by 0.1, gradient at most 2");
    expect([999, 1_234, 320_343, 7_365_632, 2e9].map(short)).toEqual([
      "999",
      "1.2 k",
      "320 k",
      "7.4 M",
      "2 G",
    ]);
  });

  it("draws layers to scale", () => {
    const network = {
      parameters: 5040,
      layers: [
        layer(1, "conv", [48, 48, 16], 432, 3),
        layer(2, "relu", [48, 48, 16], 0, 3),
        layer(3, "max_pool", [24, 24, 16], 0, 4),
        layer(4, "conv", [24, 24, 32], 4608, 8),
      ],
    };
    expect(networkLabel("n", network)).toBe("n, 5,040 parameters");
    expect(networkLabel("mine, version 2", undefined)).toBe("mine, version 2");
    expect(stackBars(network, 48).map((bar) => [bar.side, bar.depth])).toEqual([
      [1, 0.5],
      [0.5, 0.5],
      [0.5, 1],
    ]);
  });
});
