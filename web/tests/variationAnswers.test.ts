import { describe, expect, it } from "vitest";
import { meanError, meanErrors } from "../src/domain/readyNetworks";
import { answersOf } from "../src/domain/variationAnswers";

const entry = (kind: string, low = 0, high = 0) => ({ kind, probability: 1, low, high });

describe("answers that fit a variation", () => {
  it("are the careful ones where nothing is varied, but for the turn", () => {
    expect(answersOf({ operations: [] })).toEqual({
      mirrored: "no",
      turned: "no",
      size_is_clue: true,
      colour_is_clue: true,
      light_is_even: true,
      sharp: true,
      covered: false,
    });
  });

  it("name how far it is turned", () => {
    const turned = (...operations: ReturnType<typeof entry>[]) => answersOf({ operations }).turned;
    expect(turned(entry("turn", -15, 15))).toBe("slightly");
    expect(turned(entry("turn", -180, 180))).toBe("any");
    expect(turned(entry("turn", 0, 90))).toBe("any");
    expect(turned(entry("quarter-turn"))).toBe("quarters");
  });

  it("take the wider way of mirroring, and see each other kind", () => {
    expect(answersOf({ operations: [entry("mirror")] }).mirrored).toBe("sideways");
    expect(answersOf({ operations: [entry("mirror"), entry("flip")] }).mirrored).toBe("both");
    const found = answersOf({
      operations: ["zoom", "hue", "gamma", "noise", "block"].map((kind) => entry(kind)),
    });
    expect([found.size_is_clue, found.colour_is_clue, found.light_is_even, found.sharp]).toEqual([
      false,
      false,
      false,
      false,
    ]);
    expect(found.covered).toBe(true);
  });
});

describe("errors of ready networks", () => {
  it("count each set alike, and are not made up where none were measured", () => {
    const one = { errors: { crystals: 0.1, strokes: 0.3 } };
    expect(meanError(one)).toBeCloseTo(0.2);
    expect(meanError({ errors: {} })).toBeUndefined();
    expect(meanErrors([one, { errors: {} }])).toHaveLength(1);
  });
});
