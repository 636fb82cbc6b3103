import { describe, expect, it } from "vitest";
import { differenceWords, proofWords, speedWords } from "../src/domain/handOver";

describe("a proof", () => {
  const exact = { pictures: 48, max_abs_difference: 2.4e-7, tolerance: 1e-4 };

  it("says that nothing is otherwise where nothing may be", () => {
    expect(proofWords(exact)).toBe("Its program answered like the application on 48 picture files.");
    expect(differenceWords(exact)).toBe(
      "The largest difference of any probability is 2.4e-7 (allowed 1e-4).",
    );
    expect(differenceWords({ ...exact, max_abs_difference: 0 })).toBe("Not one probability differs.");
  });

  it("says how much is otherwise where something may be", () => {
    const small = { pictures: 206, max_abs_difference: 0.05, tolerance: null, changed: 3 };
    expect(proofWords(small)).toBe("3 of 206 picture files are answered otherwise.");
    expect(proofWords({ ...small, labelled: 206, accuracy: 0.976, model_accuracy: 0.981 })).toBe(
      "3 of 206 picture files are answered otherwise; 0.976 right on 206 validation pictures, the model itself 0.981.",
    );
    expect(differenceWords(small)).toBe("The largest difference of any probability is 5.0e-2.");
  });

  it("tells the speed as coarse as it is", () => {
    expect([speedWords(1325.4), speedWords(7.5), speedWords(undefined)]).toEqual([
      "1,325 pictures a second here",
      "7.5 pictures a second here",
      "",
    ]);
  });
});
