import { describe, expect, it } from "vitest";
import { choose, chooseMany, moveOn, NOTHING_CHOSEN, refocus } from "../src/domain/selection";

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

  it("adds a range to what is chosen, from the anchor, and keeps the rest", () => {
    const far = choose(NOTHING_CHOSEN, 9, idAt, plain);
    const start = choose(far, 2, idAt, { add: true, range: false });
    const both = choose(start, 4, idAt, { add: true, range: true });
    expect([...both.chosen].sort()).toEqual([102, 103, 104, 109]);
    expect([both.focus, both.anchor]).toEqual([4, 2]);
    // Without adding, the range alone is left.
    expect([...choose(both, 3, idAt, { add: false, range: true }).chosen]).toEqual([102, 103]);
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

  /** A field of these pictures, in this order. */
  const places = (ids: readonly number[], loaded = ids.length) => ({
    loaded,
    total: ids.length,
    idAt: (index: number) => (index < loaded ? ids[index] : undefined),
    indexOf: (id: number) => (ids.slice(0, loaded).includes(id) ? ids.indexOf(id) : undefined),
  });
  const ten = places(Array.from({ length: 10 }, (_, n) => 100 + n));

  it("forgets what is gone, and stays itself when nothing is", () => {
    const now = chooseMany(NOTHING_CHOSEN, [1, 2, 8], idAt, false);
    expect([...refocus(now, ten, places([101, 108])).chosen]).toEqual([101, 108]);
    expect(refocus(now, ten, ten)).toBe(now);
  });

  it("forgets nothing while the rest is on its way", () => {
    const now = chooseMany(NOTHING_CHOSEN, [1, 8], idAt, false);
    expect(refocus(now, ten, places([101, 102, 108], 1)).chosen).toBe(now.chosen);
  });

  it("keeps the focus on its picture, or near where it was", () => {
    const now = choose(NOTHING_CHOSEN, 8, idAt, plain);
    expect(refocus(now, ten, places([108, 101])).focus).toBe(0);
    expect(refocus(now, ten, places([101, 102])).focus).toBe(1);
  });

  it("moves on to the picture that was next", () => {
    const now = choose(NOTHING_CHOSEN, 0, idAt, plain);
    const after = moveOn(now, 103, places([103, 102, 100]));
    expect([[...after.chosen], after.focus]).toEqual([[103], 0]);
    expect(moveOn(now, 999, ten)).toBe(now);
  });
});
