import { describe, expect, it } from "vitest";
import type { OperationKind, Variation } from "../src/api/client";
import {
  chanceWords,
  drawable,
  mixWords,
  rangeWords,
  sameValue,
  showings,
  started,
  variationWords,
  withOperation,
} from "../src/domain/variation";

const turn: OperationKind = {
  name: "turn",
  family: "geometry",
  does: "",
  caution: "",
  unit: "degrees",
  least: -180,
  most: 180,
  neutral: 0,
  low: -15,
  high: 15,
  probability: 1,
  ranged: true,
  by_ratio: false,
  needs_colour: false,
  one_value: false,
};
const empty: Variation = { operations: [], strength: 1, drawn: 0, drawn_chance: 1, drawn_spread: 0 };

describe("a variation that is drawn", () => {
  const operations = [
    { kind: "turn", probability: 0, low: -5, high: 5 },
    { kind: "noise", probability: 0, low: 0, high: 0.1 },
  ];
  it("says from how many, for how many pictures, and how far they differ", () => {
    const plain = { operations, strength: 1, drawn: 1, drawn_chance: 1, drawn_spread: 0 };
    expect(variationWords(plain)).toBe("1 drawn from 2: turn, noise");
    expect(variationWords({ ...plain, drawn_chance: 0.5, drawn_spread: 0.25 })).toBe(
      "1 drawn from 2 for 50 % of pictures: turn, noise; strength 1 ± 0.25",
    );
  });
});

describe("a variation", () => {
  it("keeps the places of its operations while they change", () => {
    const one = withOperation(empty, "turn", started(turn));
    const two = withOperation(one, "mirror", { kind: "mirror", probability: 0.5, low: 0, high: 0 });
    const wider = withOperation(two, "turn", { kind: "turn", probability: 1, low: -90, high: 90 });
    expect(wider.operations.map((entry) => [entry.kind, entry.high])).toEqual([
      ["turn", 90],
      ["mirror", 0],
    ]);
    expect(withOperation(wider, "turn", undefined).operations.map((entry) => entry.kind)).toEqual(["mirror"]);
    expect(withOperation(wider, "blur", undefined)).toEqual(wider);
  });

  it("never draws more operations than are left", () => {
    const two = withOperation(withOperation(empty, "turn", started(turn)), "mirror", {
      kind: "mirror",
      probability: 0.5,
      low: 0,
      high: 0,
    });
    expect(withOperation({ ...two, drawn: 2 }, "turn", undefined).drawn).toBe(1);
    expect(drawable([...two.operations, { kind: "blend", probability: 1, low: 1, high: 1 }])).toBe(2);
  });

  it("is said in words", () => {
    expect(rangeWords(turn, started(turn))).toBe("±15 degrees");
    expect(rangeWords(turn, { kind: "turn", probability: 1, low: 5, high: 20 })).toBe("5 to 20 degrees");
    expect([chanceWords(1), chanceWords(0.25)]).toEqual(["always", "25 %"]);
    const two = withOperation(withOperation(empty, "turn", started(turn)), "quarter-turn", {
      kind: "quarter-turn",
      probability: 0.5,
      low: 0,
      high: 0,
    });
    expect(variationWords(two)).toBe("turn, quarter turn");
    expect(variationWords({ ...two, drawn: 1, strength: 0.5 })).toBe(
      "1 drawn from 2: turn, quarter turn; strength 0.5",
    );
    expect([variationWords(empty), variationWords({ ...two, strength: 0 })]).toEqual(["none", "none"]);
    expect(mixWords("plate", "column", 0.3)).toBe("0.7 plate + 0.3 column");
    expect([mixWords("plate", "plate", 0.3), mixWords("plate", "column", 0.01)]).toEqual(["", ""]);
  });

  it("is the same value in whatever order its parts stand", () => {
    expect(sameValue({ a: 1, b: [{ x: 1, y: 2 }] }, { b: [{ y: 2, x: 1 }], a: 1 })).toBe(true);
    expect(sameValue({ a: 1, b: [1, 2] }, { a: 1, b: [2, 1] })).toBe(false);
    expect(sameValue({ a: 1 }, { a: 1, b: undefined })).toBe(false);
  });
});

describe("classes drawn alike", () => {
  it("show rare ones more often, and as many pictures in all", () => {
    const times = showings([60, 240, 0]);
    expect(times).toEqual([2.5, 0.625, 0]);
    expect(60 * 2.5 + 240 * 0.625).toBe(300);
  });
});
