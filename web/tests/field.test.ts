import { describe, expect, it } from "vitest";
import type { ClassOf, Picture, SetName } from "../src/api/client";
import {
  FOOT_HEIGHT,
  fieldRows,
  HEAD_WIDTH,
  layOut,
  lineOf,
  rowAt,
  setCounts,
  stepFrom,
  TILE_SIZES,
  tilesWithin,
} from "../src/domain/field";

const classes: ClassOf[] = [
  { id: 7, name: "needle", place: 0, sign: "N", count: 0 },
  { id: 3, name: "plate", place: 1, sign: "P", count: 0 },
];

function picture(id: number, classId: number | null, set: SetName | null = null): Picture {
  return {
    id,
    sha256: String(id),
    name: `${id}.png`,
    class_id: classId,
    set_name: set,
    two_labels: false,
    note: "",
    width: 10,
    height: 10,
  };
}

/** Two unlabelled, five needles, no plate. */
const pictures = [
  ...[1, 2].map((id) => picture(id, null)),
  ...[3, 4, 5, 6, 7].map((id) => picture(id, 7, id < 6 ? "training" : "test")),
];

describe("rows", () => {
  it("puts unlabelled first, then classes in their order, empty ones too", () => {
    const rows = fieldRows(pictures, classes, "class");
    expect(rows.map((row) => [row.name, row.pictures.map((entry) => entry.id)])).toEqual([
      ["unlabelled", [1, 2]],
      ["needle", [3, 4, 5, 6, 7]],
      ["plate", []],
    ]);
  });

  it("leaves the unlabelled row out when nothing is unlabelled", () => {
    expect(fieldRows(pictures.slice(2), classes, "class").map((row) => row.name)).toEqual([
      "needle",
      "plate",
    ]);
  });

  it("groups by set, with those in none last", () => {
    const rows = fieldRows(pictures, classes, "set");
    expect(rows.map((row) => [row.name, row.pictures.length])).toEqual([
      ["training", 3],
      ["validation", 0],
      ["test", 2],
      ["in no set", 2],
    ]);
  });

  it("counts sets for the bar", () => {
    expect(setCounts(pictures)).toEqual({ training: 3, validation: 0, test: 2, none: 2 });
  });
});

describe("layout", () => {
  // Room for exactly three tiles of 56 pixels with gaps of 4.
  const rows = fieldRows(pictures, classes, "class");
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
