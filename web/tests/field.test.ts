import { describe, expect, it } from "vitest";
import type { ClassOf, FieldRowOf } from "../src/api/client";
import {
  FOOT_HEIGHT,
  fieldRows,
  HEAD_WIDTH,
  imbalance,
  LINE_INSET,
  layOut,
  lineOf,
  placeOf,
  rowAt,
  setOfRow,
  stepFrom,
  TILE_SIZES,
  tileAt,
  tilesWithin,
} from "../src/domain/field";
import { FieldIndex, joined, NOTED, WRONG } from "../src/domain/fieldIndex";

const classes: ClassOf[] = [
  { id: 7, name: "needle", place: 0, sign: "N", colour: null, count: 0 },
  { id: 3, name: "plate", place: 1, sign: "P", colour: null, count: 0 },
];

function counted(key: string | null, count: number, training = 0, test = 0): FieldRowOf {
  return { key, count, training, validation: 0, test, excluded: 0, classes: [], exact: false };
}

/** Two unlabelled, five needles, no plate. */
const byClass = [counted(null, 2), counted("7", 5, 3, 2)];

describe("rows", () => {
  it("calls groups of copies by what is odd about them first", () => {
    const group = (key: string | null, ids: number[], exact: boolean) => ({
      ...counted(key, 2),
      classes: ids,
      exact,
    });
    const rows = fieldRows(
      [group("4", [3, 7], true), group("1", [7], true), group("2", [], false), group(null, [], false)],
      classes,
      "copies",
      true,
    );
    expect(rows.map((row) => row.name)).toEqual([
      "different labels",
      "the same pixels",
      "nearly the same",
      "no copies",
    ]);
    expect(rows[0]?.copies?.classes.map((entry) => entry.name)).toEqual(["needle", "plate"]);
  });

  it("puts unlabelled first, then classes in their order, empty ones too", () => {
    const rows = fieldRows(byClass, classes, "class", true);
    expect(rows.map((row) => [row.name, row.count, row.classId])).toEqual([
      ["unlabelled", 2, null],
      ["needle", 5, 7],
      ["plate", 0, 3],
    ]);
    expect(rows[1]?.sets).toEqual({ training: 3, validation: 0, test: 2, none: 0 });
  });

  it("leaves out what the Sift leaves empty", () => {
    const rows = fieldRows([counted("3", 1)], classes, "class", false);
    expect(rows.map((row) => row.name)).toEqual(["plate"]);
  });

  it("has a row for every set, so that pictures can be dropped on an empty one", () => {
    const rows = fieldRows([counted("validation", 4), counted("training", 2)], classes, "set", true);
    expect(rows.map((row) => [row.name, row.count])).toEqual([
      ["training", 2],
      ["validation", 4],
      ["test", 0],
      ["in no set", 0],
    ]);
    expect(rows.map(setOfRow)).toEqual(["training", "validation", "test", null]);
    expect(fieldRows([counted("test", 1)], classes, "set", false)).toHaveLength(1);
  });

  it("names rows by what they stand for", () => {
    const words = (group: Parameters<typeof fieldRows>[2], key: string | null) =>
      fieldRows([counted(key, 1)], classes, group, true)[0]?.name;
    expect([words("set", null), words("size", "to 96")]).toEqual(["in no set", "to 96 px"]);
    expect([words("predicted", "3"), words("predicted", null), words("day", "2026-03-10")]).toEqual([
      "plate",
      "not asked",
      "2026-03-10",
    ]);
  });

  it("warns where the largest class has more than five times the smallest", () => {
    const rows = (needles: number, plates: number) =>
      fieldRows([counted(null, 99), counted("7", needles), counted("3", plates)], classes, "class", true);
    expect(imbalance(rows(50, 10))).toBeUndefined();
    expect(imbalance(rows(51, 10))).toMatchObject({ times: 5.1, largest: { name: "needle" } });
    expect(imbalance(rows(51, 0))).toBeUndefined();
  });
});

describe("the index", () => {
  /** By hand: id × 256 + flags, class, predicted; big-endian. */
  const record = (id: number, flags: number, classId: number, predicted: number) => {
    const view = new DataView(new ArrayBuffer(16));
    view.setBigUint64(0, BigInt(id) * 256n + BigInt(flags));
    view.setUint32(8, classId);
    view.setUint32(12, predicted);
    return view.buffer;
  };

  it("tells what each place holds, and no more than has arrived", () => {
    const index = new FieldIndex(joined([record(5, 2 + NOTED + WRONG, 7, 3), record(2 ** 40, 0, 0, 0)]), 3);
    expect([index.idAt(0), index.idAt(1), index.idAt(2), index.idAt(-1)]).toEqual([
      5,
      2 ** 40,
      undefined,
      undefined,
    ]);
    expect([index.setAt(0), index.classAt(0), index.predictedAt(0)]).toEqual(["validation", 7, 3]);
    expect([index.setAt(1), index.classAt(1), index.flagsAt(1)]).toEqual([null, 0, 0]);
    expect([index.indexOf(2 ** 40), index.indexOf(9), index.ids()]).toEqual([1, undefined, [5, 2 ** 40]]);
    expect([index.idsBetween(1, 3), index.idsBetween(-2, 1), index.idsBetween(2, 1)]).toEqual([
      [2 ** 40],
      [5],
      [],
    ]);
  });
});

describe("layout", () => {
  // Room for exactly three tiles of 56 pixels with gaps of 4.
  const rows = fieldRows(byClass, classes, "class", true);
  const layout = layOut(rows, 56, HEAD_WIDTH + 3 * 60);

  it("wraps tiles within their row", () => {
    expect(layout.columns).toBe(3);
    expect(layout.lines.map((line) => [line.row, line.start, line.end])).toEqual([
      [0, 0, 2],
      [1, 0, 3],
      [1, 3, 5],
      [2, 0, 0],
    ]);
    expect(layout.firsts).toEqual([0, 2, 7]);
  });

  it("stands lines under each other without gap or overlap", () => {
    let top = 0;
    for (const line of layout.lines) {
      expect(line.top).toBe(top);
      top += line.height;
    }
    expect(layout.height).toBe(top);
  });

  it("finds the row at a height and the line of a tile", () => {
    expect(rowAt(layout, 0)).toBe(0);
    expect(rowAt(layout, layout.height - 1)).toBe(2);
    expect(rowAt(layout, layout.height + 1)).toBeUndefined();
    expect([0, 1, 2, 4, 5, 6].map((index) => lineOf(layout, index))).toEqual([0, 0, 1, 1, 2, 2]);
    expect(lineOf(layout, 7)).toBeUndefined();
  });

  it("finds the tile under a point, and none between", () => {
    const place = placeOf(layout, 3);
    expect(place && tileAt(layout, place.left + 5, place.top - LINE_INSET + 5)).toBe(3);
    expect(place && tileAt(layout, HEAD_WIDTH - 5, place.top)).toBeUndefined();
    expect(tileAt(layout, HEAD_WIDTH + 2 * 60 + 5, 5)).toBeUndefined();
    expect(placeOf(layout, 7)).toBeUndefined();
  });

  it("walks with arrows, keeping the column and crossing empty rows", () => {
    expect(stepFrom(layout, 1, "down")).toBe(3);
    expect(stepFrom(layout, 4, "down")).toBe(6);
    expect(stepFrom(layout, 6, "down")).toBe(6);
    expect(stepFrom(layout, 5, "up")).toBe(2);
    expect(stepFrom(layout, 0, "left")).toBe(0);
    expect(stepFrom(layout, 6, "right")).toBe(6);
    expect(stepFrom(layout, 3, "first")).toBe(0);
    expect(stepFrom(layout, 3, "last")).toBe(6);
  });

  it("meets with a rectangle what it touches and nothing else", () => {
    const second = layout.lines[1];
    const top = second?.top ?? 0;
    const touched = tilesWithin(layout, {
      left: HEAD_WIDTH + 61,
      right: HEAD_WIDTH + 70,
      top: top + 5,
      bottom: top + 6,
    });
    expect(touched).toEqual([3]);
    const all = tilesWithin(layout, { left: 0, right: 9999, top: 0, bottom: 9999 });
    expect(all).toEqual([0, 1, 2, 3, 4, 5, 6]);
    expect(tilesWithin(layout, { left: 0, right: 50, top: 0, bottom: 9999 })).toEqual([]);
  });

  it("holds at every size, and in a window too narrow for one tile", () => {
    for (const size of TILE_SIZES) {
      const narrow = layOut(rows, size, 10);
      expect(narrow.columns).toBe(1);
      expect(narrow.rise).toBe(narrow.step + FOOT_HEIGHT[size]);
      expect(narrow.lines).toHaveLength(2 + 5 + 1);
    }
  });
});
