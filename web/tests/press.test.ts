import { describe, expect, it } from "vitest";
import { HEAD_WIDTH, layOut } from "../src/domain/field";
import type { FieldRow } from "../src/domain/fieldRows";
import { clicked, type Ground, isStill, moved, type Press } from "../src/domain/press";
import { NOTHING_CHOSEN } from "../src/domain/selection";

const row = (key: string, count: number) => ({ key, name: key, count }) as unknown as FieldRow;
const rows = [row("plate", 6), row("needle", 4)];
/** Pictures 100, 101, … in two rows of large tiles. */
const ground: Ground = {
  layout: layOut(rows, 104, HEAD_WIDTH + 1000),
  size: 104,
  selection: NOTHING_CHOSEN,
  idAt: (index) => (index >= 0 && index < 10 ? 100 + index : undefined),
};
const pressed = (change: object = {}) =>
  ({ kind: "pressed", at: { x: 300, y: 20 }, index: 2, add: false, range: false, ...change }) as const;

describe("a press", () => {
  it("stays a click until it has moved a little", () => {
    expect(isStill(pressed(), { x: 303, y: 23 })).toBe(true);
    expect(isStill(pressed(), { x: 304, y: 24 })).toBe(false);
  });
  it("beside the tiles chooses nothing, unless something is to be added", () => {
    const some = { ...ground, selection: { ...NOTHING_CHOSEN, chosen: new Set([101]) } };
    expect(clicked(pressed({ index: undefined }), some).chosen.size).toBe(0);
    expect([...clicked(pressed({ index: undefined, add: true }), some).chosen]).toEqual([101]);
    expect([...clicked(pressed({ add: true }), some).chosen].sort()).toEqual([101, 102]);
  });
  it("on a picture carries it, or all that are chosen with it", () => {
    const alone = moved(pressed(), { x: 340, y: 20 }, ground);
    expect(alone.press).toMatchObject({ kind: "carry", ids: [102], row: 0 });
    const some = { ...ground, selection: { ...NOTHING_CHOSEN, chosen: new Set([101, 102]) } };
    const both = moved(pressed(), { x: 340, y: ground.layout.height - 10 }, some);
    expect(both.press).toMatchObject({ kind: "carry", ids: [101, 102], row: 1 });
    expect(both.selection).toBe(some.selection);
  });
  it("on pictures too small to aim at draws a band, unless they were chosen", () => {
    const small = { ...ground, size: 12, layout: layOut(rows, 12, HEAD_WIDTH + 1000) } as const;
    expect(moved(pressed(), { x: 340, y: 20 }, small).press.kind).toBe("band");
    const chosen = { ...small, selection: { ...NOTHING_CHOSEN, chosen: new Set([102]) } };
    expect(moved(pressed(), { x: 340, y: 20 }, chosen).press.kind).toBe("carry");
  });
  it("as a band chooses what lies within, and gives back what it leaves again", () => {
    const start: Press = pressed({ at: { x: HEAD_WIDTH - 20, y: 5 }, index: undefined });
    const all = moved(start, { x: HEAD_WIDTH + 999, y: ground.layout.height }, ground);
    expect(all.selection.chosen.size).toBe(10);
    const back = moved(all.press, { x: HEAD_WIDTH + 50, y: 60 }, { ...ground, selection: all.selection });
    expect([...back.selection.chosen]).toEqual([100]);
  });
});
