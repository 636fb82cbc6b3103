import { describe, expect, it } from "vitest";
import type { Aim, Answered, Calibration, Model, Sureness } from "../src/api/client";
import {
  aimWords,
  answeredWords,
  answeringLine,
  calibrationPoints,
  calibrationStart,
  calibrationWords,
  oneThreshold,
  postAt,
  reachesByClass,
  rulerStart,
  temperatureWords,
  thresholdOf,
  unsureWords,
} from "../src/domain/sureness";

function answered(count: number, right: number): Answered {
  return { answered: count, right, interval: [0.8, 0.99] };
}

function calibrated(bins: [number, number, number][], error: number, high: number): Calibration {
  return {
    bins: bins.map(([mean, right, count]) => ({
      low: mean,
      high: mean,
      mean,
      right,
      count,
      interval: [right / count - 0.1, right / count + 0.1],
    })),
    error,
    error_if_true: high / 2,
    error_if_true_high: high,
    brier: 0.1,
    loss: 0.2,
  };
}

function model(below: (number | null)[] | null): Model {
  const classes = ["plate", "rime"].map((name, n) => ({ id: n + 1, name, sign: name.slice(0, 1) }));
  return { id: 1, classes, unsure_below: below, temperature: 1.2 } as unknown as Model;
}

describe("how sure it is, in words", () => {
  it("tells too sure, too little sure, and chance", () => {
    const bins: [number, number, number][] = [
      [0.7, 10, 20],
      [0.9, 15, 20],
    ];
    expect(calibrationWords(calibrated(bins, 0.2, 0.1))).toContain("0.800 in the mean, and 0.625");
    expect(calibrationWords(calibrated(bins, 0.2, 0.1))).toContain("surer than it should be");
    expect(calibrationWords(calibrated(bins, 0.05, 0.1))).toContain(
      "no further off than chance explains with 40",
    );
    expect(calibrationWords(calibrated([[0.7, 19, 20]], 0.2, 0.1))).toContain("less sure than it could be");
  });

  it("tells what a temperature does and on what it was measured", () => {
    const sure = { temperature: 1.31, cross_fitted: true } as Sureness;
    expect(temperatureWords(sure)).toBe(
      "Temperature 1.31 makes answers less sure, each fifth of the pictures by the other four.",
    );
    expect(temperatureWords({ ...sure, temperature: 0.8, cross_fitted: false })).toBe(
      "Temperature 0.80 makes answers surer.",
    );
    expect(temperatureWords({ ...sure, temperature: null })).toContain("Without an error");
  });

  it("tells what is answered, and where an aim falls short on other pictures", () => {
    expect(answeredWords(answered(91, 89), 100)).toBe("answers 91 %, 0.978 of them right, 0.800–0.990");
    expect(answeredWords(answered(0, 0), 100)).toBe("answers nothing");
    const aim: Aim = {
      wanted: 0.98,
      below: 0.9,
      counted: answered(50, 48),
      by_class: { "0": null },
      counted_by_class: answered(50, 50),
    };
    expect(aimWords(aim, 100, false)).toBe(
      "in all, below 0.9: answers 50 %, 0.960 of them right, 0.800–0.990, which falls short",
    );
    expect(aimWords(aim, 100, true)).not.toContain("short");
    expect(aimWords({ ...aim, below: null }, 100, false)).toContain("no threshold reaches it");
    expect(reachesByClass(aim)).toBe(false);
    expect(reachesByClass({ ...aim, by_class: { "0": null, "1": 0.5 } })).toBe(true);
  });

  it("tells what was set for a model", () => {
    expect(unsureWords(model(null))).toContain("never");
    expect(unsureWords(model([0.7, 0.7]))).toBe("This model says “unsure” below 0.7.");
    expect(unsureWords(model([0.7, null]))).toContain("plate 0.7, rime always");
    expect(oneThreshold(model([0.7, null]))).toBeUndefined();
    expect([thresholdOf(model([0.7, null]), 0), thresholdOf(model(null), 0)]).toEqual([0.7, 0]);
    expect(thresholdOf(model([0.7, null]), 1)).toBeGreaterThan(1);
  });
});

describe("how sure it is, drawn", () => {
  it("begins rulers below what they show", () => {
    expect(rulerStart([[0.93, 0.98], undefined])).toBe(0.8);
    expect(rulerStart([[0.04, 0.3]])).toBe(0);
    expect(calibrationStart(calibrated([[0.93, 18, 20]], 0, 0))).toBe(0.9);
  });

  it("puts what is right as often as it says onto the diagonal", () => {
    const [bin] = calibrationPoints(calibrated([[0.75, 15, 20]], 0, 0), 0.5, 200);
    expect([bin?.x, bin?.y]).toEqual([100, 100]);
  });

  it("draws the share that is right over the share that is answered", () => {
    const posts = [answered(100, 90), answered(50, 49), answered(0, 0)];
    const answering = { count: 100, thresholds: [0, 0.9, 0.99], posts, aims: [] };
    const { points, floor } = answeringLine(answering, 300, 100);
    expect(points.map(({ x }) => x)).toEqual([300, 150, 0]);
    expect(floor).toBe(0.7);
    expect(points[0]?.y).toBeCloseTo(100 * (1 - 0.2 / 0.3));
    expect(postAt([0, 0.9, 0.99], 0.95)).toBe(1);
  });
});
