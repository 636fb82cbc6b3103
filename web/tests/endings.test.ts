/** Early ends in words: what is set, what it would have done, what is asked. */
import { describe, expect, it } from "vitest";
import type { EndingTrial } from "../src/api/client";
import {
  endingDoubts,
  endingShort,
  epochsWithin,
  mayEndEarly,
  trialWords,
} from "../src/domain/trainingSettings";
import { SETTINGS, TABLE } from "./settingsTable";

function tried(...epochs: (number | null)[]): EndingTrial {
  const runs = epochs.map((epoch, place) => ({ number: 9 - place, epochs: 120, epoch, words: "" }));
  return { runs, doubts: [] };
}

describe("an early end", () => {
  it("is said by what it looks at", () => {
    expect(endingShort(TABLE, SETTINGS)).toBe("");
    expect(mayEndEarly({ ...SETTINGS, time_limit: 10 })).toBe(false);
    const both = { ...SETTINGS, end_when: "validation-loss", reach: "training-accuracy", time_limit: 1 };
    expect(endingShort(TABLE, both)).toBe(
      "without progress of validation-loss or at a training-accuracy of 0.95 or after 1 minute",
    );
    expect(mayEndEarly(both)).toBe(true);
  });

  it("is told as the last runs would have met it", () => {
    expect(trialWords(tried())).toMatch(/^No run has trained all its epochs yet/);
    expect(trialWords(tried(null, null))).toBe("It would have ended none of the last 2 runs early.");
    expect(trialWords(tried(31, null, 14))).toBe(
      "Of the last 3 runs it would have been met by run 9 in epoch 31 of 120, run 7 in epoch 14 of 120.",
    );
  });

  it("that is doubtful can be left out before the start", () => {
    const doubts = endingDoubts({ runs: [], doubts: ["It would change nothing."] });
    expect(doubts.map((doubt) => [doubt.name, doubt.usual, doubt.called])).toEqual([
      ["end_when", "none", "all epochs"],
      ["reach", "none", "all epochs"],
    ]);
    expect(endingDoubts(undefined)).toEqual([]);
  });

  it("by a time is a number of whole epochs, one at least", () => {
    expect(epochsWithin(10, 7)).toBe(85);
    expect(epochsWithin(0.01, 7)).toBe(1);
  });
});
