/** A run beside the one before it. */
import { describe, expect, it } from "vitest";
import type { Run } from "../src/api/client";
import { besideBefore } from "../src/domain/compare";

function judged(number: number, right: number, count: number, training: number, validation: number): Run {
  return {
    number,
    figures: { training_loss: training, validation_loss: validation },
    validation: { accuracy: right / count, right, count },
  } as unknown as Run;
}

describe("beside the run before", () => {
  const before = judged(1, 193, 206, 0.2, 0.4);

  it("says which is better, by how many pictures, and how close the curves lie", () => {
    expect(besideBefore(judged(2, 196, 206, 0.2, 0.25), before)).toBe(
      "Beside run 1: closer curves, and better: 0.951 against 0.937, 3 pictures more.",
    );
    expect(besideBefore(judged(2, 192, 206, 0.1, 0.5), before)).toBe(
      "Beside run 1: curves further apart, and worse: 0.932 against 0.937, 1 picture fewer.",
    );
    expect(besideBefore(judged(2, 193, 206, 0.2, 0.41), before)).toBe("Beside run 1: as good at 0.937.");
  });

  it("counts no pictures where others were judged, and says nothing where nothing was", () => {
    expect(besideBefore(judged(2, 96, 100, 0.2, 0.4), before)).toBe(
      "Beside run 1: better: 0.960 against 0.937, of 100 pictures and 206.",
    );
    expect(besideBefore(judged(2, 1, 2, 1, 1), undefined)).toBe("");
    expect(besideBefore({ ...before, validation: null } as Run, before)).toBe("");
  });
});
