import { describe, expect, it } from "vitest";
import type { ClassOf, FieldRowOf } from "../src/api/client";
import {
  FOOT_HEIGHT,
  HEAD_WIDTH,
  indicesBetween,
  LINE_INSET,
  layOut,
  lineOf,
  placeOf,
  rowAt,
  stepFrom,
  TILE_SIZES,
  tileAt,
  tilesWithin,
} from "../src/domain/field";
import { FieldIndex, joined, NOTED, WRONG } from "../src/domain/fieldIndex";
import { fieldRows, imbalance, setOfRow } from "../src/domain/fieldRows";
import { figureWords } from "../src/domain/figures";

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

describe("figures", () => {
  it("stand behind each record, where there are any", () => {
    const view = new DataView(new ArrayBuffer(40));
    for (const [n, value] of [2.5, Number.NaN].entries()) {
      view.setBigUint64(20 * n, BigInt(n + 1) * 256n);
      view.setFloat32(20 * n + 16, value);
    }
    const index = new FieldIndex(view.buffer, 2, { figure: "loss" });
    expect([index.ids(), index.figureAt(0), index.figureAt(1), index.figureAt(2)]).toEqual([
      [1, 2],
      2.5,
      undefined,
      undefined,
    ]);
    expect(new FieldIndex(view.buffer, 2).figureAt(0)).toBeUndefined();
  });

  it("are said with what they are", () => {
    const told = ["loss", "p", "like", "elsewhere"].map((name) => figureWords(name, 0.25));
    expect(told).toEqual(["loss 0.25", "p 0.25", "0.25 apart", undefined]);
    expect([figureWords("size", 9000), figureWords("side", 64)]).toEqual(["9 KB", "64 px"]);
    expect([figureWords("loss", undefined), figureWords(undefined, 1)]).toEqual([undefined, undefined]);
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
    expect(rowAt(layout, 5, 0)).toBe(0);
    expect(rowAt(layout, 900, layout.height - 1)).toBe(2);
    expect(rowAt(layout, 5, layout.height + 1)).toBeUndefined();
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

describe("rows beside each other", () => {
  const pairs = Array.from({ length: 9 }, (_, n) => counted(String(n + 1), n === 4 ? 25 : 2));
  const rows = fieldRows([...pairs, counted(null, 3)], classes, "copies", true);
  const width = 1000;
  const layout = layOut(rows, 104, width, "above");
  const tiles = Array.from({ length: layout.total }, (_, index) => index);

  it("puts as many on a shelf as fit, and one that needs lines of its own below", () => {
    // Two tiles of 104 with gaps of 4 are 216 wide, and 20 stand between: four fit into 1000.
    const shelves = layout.shelves.map((shelf) =>
      layout.lines.slice(shelf.first, shelf.end).map((line) => [line.row, line.end - line.start]),
    );
    expect(shelves.slice(0, 3)).toEqual([
      [
        [0, 2],
        [1, 2],
        [2, 2],
        [3, 2],
      ],
      [[4, 9]],
      [[4, 9]],
    ]);
    expect(shelves.flat().reduce((sum, line) => sum + (line[1] ?? 0), 0)).toBe(8 * 2 + 25 + 3);
  });

  it("finds every tile where it stands, within the width, and none twice", () => {
    const places = tiles.map((index) => placeOf(layout, index));
    expect(places.map((place) => place && tileAt(layout, place.left + 1, place.top + 1))).toEqual(tiles);
    expect(new Set(places.map((place) => `${place?.left} ${place?.top}`)).size).toBe(layout.total);
    for (const place of places) expect((place?.left ?? 0) + 104).toBeLessThanOrEqual(width);
    expect(tilesWithin(layout, { left: 0, right: width, top: 0, bottom: layout.height })).toEqual(tiles);
    expect(indicesBetween(layout, 0, layout.height - 1)).toEqual([0, layout.total]);
  });

  it("is walked down and up by what stands there", () => {
    const under = stepFrom(layout, 2, "down");
    expect(placeOf(layout, under)?.left).toBe(12 + 2 * 108);
    expect(stepFrom(layout, under, "up")).toBe(2);
    expect(stepFrom(layout, 0, "up")).toBe(0);
    expect(stepFrom(layout, layout.total - 1, "down")).toBe(layout.total - 1);
  });

  it("knows the row at a point by where it stands across", () => {
    const second = placeOf(layout, 2);
    expect([rowAt(layout, 20, 60), rowAt(layout, (second?.left ?? 0) + 5, 60)]).toEqual([0, 1]);
  });
});
