import { describe, expect, it } from "vitest";
import { choose, chooseMany, keepPresent, NOTHING_CHOSEN } from "../src/domain/selection";

const idAt = (index: number) => (index >= 0 && index < 10 ? 100 + index : undefined);
const plain = { add: false, range: false };

describe("selection", () => {
  it("chooses one, adds, and takes out again", () => {
    const one = choose(NOTHING_CHOSEN, 3, idAt, plain);
    expect([...one.chosen]).toEqual([103]);
    const two = choose(one, 5, idAt, { add: true, range: false });
    expect([...two.chosen]).toEqual([103, 105]);
    expect([...choose(two, 3, idAt, { add: true, range: false }).chosen]).toEqual([105]);
    expect([...choose(two, 7, idAt, plain).chosen]).toEqual([107]);
  });

  it("extends a range from where it began, both ways", () => {
    const start = choose(NOTHING_CHOSEN, 4, idAt, plain);
    const down = choose(start, 6, idAt, { add: false, range: true });
    expect([...down.chosen]).toEqual([104, 105, 106]);
    const up = choose(down, 2, idAt, { add: false, range: true });
    expect([...up.chosen]).toEqual([102, 103, 104]);
    expect(up.anchor).toBe(4);
  });

  it("ignores what is not there", () => {
    expect(choose(NOTHING_CHOSEN, 99, idAt, plain)).toBe(NOTHING_CHOSEN);
  });

  it("takes what the rubber band touches, beside what was chosen if asked", () => {
    const before = choose(NOTHING_CHOSEN, 9, idAt, plain);
    expect([...chooseMany(before, [1, 2], idAt, false).chosen]).toEqual([101, 102]);
    expect([...chooseMany(before, [1, 2], idAt, true).chosen]).toEqual([109, 101, 102]);
  });

  it("forgets what is gone and stays itself when nothing is", () => {
    const now = chooseMany(NOTHING_CHOSEN, [1, 2, 8], idAt, false);
    const present = new Set([101, 108]);
    expect([...keepPresent(now, present, 2).chosen]).toEqual([101, 108]);
    expect(keepPresent(now, new Set([101, 102, 108]), 10)).toBe(now);
    expect(keepPresent({ ...now, focus: 8 }, present, 2).focus).toBe(1);
  });
});
