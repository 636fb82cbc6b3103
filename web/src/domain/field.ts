/** The picture field as geometry: rows by key, lines of tiles within them, and what a point or rectangle meets. */
import type { ClassOf, FieldRowOf, SetName } from "../api/client";
import { colourPlace } from "./classColour";
import { SETS, setWords } from "./words";

export const GROUPS = ["class", "set", "size", "day", "format", "predicted", "copies", "nothing"] as const;
export type GroupKey = (typeof GROUPS)[number];
export const TILE_SIZES = [12, 24, 56, 104, 200] as const;
export type TileSize = (typeof TILE_SIZES)[number];

/** Below this a tile shows its colour only. */
export const SMALLEST_WITH_SIGN = 32;
export const HEAD_WIDTH = 176;
/** Above a line's tiles. */
export const LINE_INSET = 4;
const LEAST_ROW_HEIGHT = 58;
const ROW_GAP = 14;
/** Beyond this many times the smallest class, the largest drowns it. */
const MOST_UNEQUAL = 5;

export interface Counts {
  readonly training: number;
  readonly validation: number;
  readonly test: number;
  readonly none: number;
}

export interface FieldRow {
  readonly key: string;
  readonly name: string;
  /** What dropping a picture here labels it; undefined where rows are no labels. */
  readonly classId: number | null | undefined;
  /** Which of the class colours. */
  readonly place: number | undefined;
  readonly sign: string | undefined;
  readonly count: number;
  readonly sets: Counts;
  readonly excluded: number;
  /** Of a row of copies: its classes, and whether all its pictures have the same pixels as another. */
  readonly copies: { readonly classes: readonly ClassOf[]; readonly exact: boolean } | undefined;
}

export interface FieldLine {
  readonly row: number;
  /** First and one past the last tile, within the row. */
  readonly start: number;
  readonly end: number;
  readonly height: number;
  readonly top: number;
}

export interface FieldLayout {
  readonly columns: number;
  /** From one tile to the next, across and down. */
  readonly step: number;
  readonly rise: number;
  readonly lines: readonly FieldLine[];
  readonly height: number;
  /** Index of each row's first tile in the flat order of all tiles. */
  readonly firsts: readonly number[];
  readonly total: number;
}

/** Height of a tile's foot, below its picture. */
export const FOOT_HEIGHT: Record<TileSize, number> = { 12: 0, 24: 3, 56: 12, 104: 16, 200: 18 };

export function tileGap(size: TileSize): number {
  return size < SMALLEST_WITH_SIGN ? 1 : 4;
}

function fieldRow(
  counted: FieldRowOf,
  key: string,
  name: string,
  entry?: ClassOf,
  classId?: number | null,
): FieldRow {
  const { training, validation, test, excluded, count } = counted;
  const sets = { training, validation, test, none: count - training - validation - test };
  const place = colourPlace(entry);
  return { key, name, classId, place, sign: entry?.sign, count, sets, excluded, copies: undefined };
}

const NO_PICTURES = {
  key: null,
  count: 0,
  training: 0,
  validation: 0,
  test: 0,
  excluded: 0,
  classes: [],
  exact: false,
};

/**
 * Rows of the field as they were counted. By class there is a row for each, unlabelled first; `whole` shows empty ones
 * too, so that pictures can be dropped on them.
 */
export function fieldRows(
  counted: readonly FieldRowOf[],
  classes: readonly ClassOf[],
  group: GroupKey,
  whole: boolean,
): FieldRow[] {
  if (group === "class") {
    const found = new Map(counted.map((row) => [row.key, row]));
    const rows = classes
      .filter((entry) => whole || found.has(String(entry.id)))
      .map((entry) =>
        fieldRow(
          found.get(String(entry.id)) ?? NO_PICTURES,
          `class-${entry.id}`,
          entry.name,
          entry,
          entry.id,
        ),
      );
    const unlabelled = found.get(null);
    if (unlabelled || (whole && !counted.length)) {
      rows.unshift(fieldRow(unlabelled ?? NO_PICTURES, "unlabelled", "unlabelled", undefined, null));
    }
    return rows;
  }
  if (group === "set" && whole && counted.some((row) => row.key !== null)) {
    // A set without pictures has a row too, so that some can be dropped on it.
    const found = new Map(counted.map((row) => [row.key, row]));
    return [...SETS, null].map((set) =>
      fieldRow(found.get(set) ?? NO_PICTURES, `set-${set ?? "none"}`, setWords(set)),
    );
  }
  return counted.map((row) => {
    const key = `${group}-${row.key ?? "none"}`;
    if (group === "predicted") {
      const entry = classes.find((item) => String(item.id) === row.key);
      return fieldRow(row, key, row.key === null ? "not asked" : (entry?.name ?? "a deleted class"), entry);
    }
    if (group === "copies") return copiesRow(row, key, classes);
    if (group === "set") return fieldRow(row, key, setWords(row.key));
    if (group === "nothing") return fieldRow(row, key, "all");
    return fieldRow(row, key, group === "size" ? `${row.key} px` : (row.key ?? "none"));
  });
}

/** The set that a row of sets stands for. */
export function setOfRow(row: FieldRow): SetName | null {
  return SETS.find((set) => row.key === `set-${set}`) ?? null;
}

function copiesRow(counted: FieldRowOf, key: string, classes: readonly ClassOf[]): FieldRow {
  if (counted.key === null) return fieldRow(counted, key, "no copies");
  const own = classes.filter((entry) => counted.classes.includes(entry.id));
  const name = own.length > 1 ? "different labels" : counted.exact ? "the same pixels" : "nearly the same";
  return { ...fieldRow(counted, key, name), copies: { classes: own, exact: counted.exact } };
}

/** How unequal the classes are, where the largest has more than five times the pictures of the smallest. */
export function imbalance(
  rows: readonly FieldRow[],
): { smallest: FieldRow; largest: FieldRow; times: number } | undefined {
  const labelled = rows.filter((row) => typeof row.classId === "number" && row.count > 0);
  const sorted = [...labelled].sort((a, b) => a.count - b.count);
  const [smallest, largest] = [sorted[0], sorted.at(-1)];
  if (!smallest || !largest || largest.count <= MOST_UNEQUAL * smallest.count) return undefined;
  return { smallest, largest, times: largest.count / smallest.count };
}

export function layOut(rows: readonly FieldRow[], size: TileSize, width: number): FieldLayout {
  const step = size + tileGap(size);
  const rise = step + FOOT_HEIGHT[size];
  const columns = Math.max(1, Math.floor((width - HEAD_WIDTH) / step));
  const lines: FieldLine[] = [];
  const firsts: number[] = [];
  let total = 0;
  let top = 0;
  rows.forEach((row, index) => {
    firsts.push(total);
    total += row.count;
    const count = Math.max(1, Math.ceil(row.count / columns));
    for (let line = 0; line < count; line++) {
      const last = line === count - 1;
      // A row is never lower than its head, and rows stand apart.
      const height = last ? Math.max(rise, LEAST_ROW_HEIGHT - (count - 1) * rise) + ROW_GAP : rise;
      const start = line * columns;
      lines.push({ row: index, start, end: Math.min(start + columns, row.count), height, top });
      top += height;
    }
  });
  return { columns, step, rise, lines, height: top, firsts, total };
}

/** Number of the first line that ends below a height. */
export function lineAt(layout: FieldLayout, y: number): number {
  let low = 0;
  let high = layout.lines.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    const line = layout.lines[middle];
    if (line && line.top + line.height <= y) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Flat indices of the tiles that a rectangle in the field's coordinates touches. */
export function tilesWithin(
  layout: FieldLayout,
  box: { left: number; top: number; right: number; bottom: number },
): number[] {
  const found: number[] = [];
  const from = Math.max(0, Math.floor((box.left - HEAD_WIDTH) / layout.step));
  const to = Math.min(layout.columns - 1, Math.floor((box.right - HEAD_WIDTH) / layout.step));
  for (let number = lineAt(layout, box.top); number < layout.lines.length; number++) {
    const line = layout.lines[number];
    if (!line || line.top >= box.bottom) break;
    if (line.top + layout.rise <= box.top) continue;
    for (let column = from; column <= to; column++) {
      const within = line.start + column;
      if (within < line.end) found.push((layout.firsts[line.row] ?? 0) + within);
    }
  }
  return found;
}

/** The tile under a point. */
export function tileAt(layout: FieldLayout, x: number, y: number): number | undefined {
  const line = layout.lines[lineAt(layout, y)];
  const column = Math.floor((x - HEAD_WIDTH) / layout.step);
  if (!line || column < 0 || column >= layout.columns || y < line.top || y >= line.top + layout.rise) {
    return undefined;
  }
  const within = line.start + column;
  return within < line.end ? (layout.firsts[line.row] ?? 0) + within : undefined;
}

export function rowAt(layout: FieldLayout, y: number): number | undefined {
  return y < 0 ? undefined : layout.lines[lineAt(layout, y)]?.row;
}

export type Step = "left" | "right" | "up" | "down" | "first" | "last";

/** The tile that an arrow leads to; up and down keep the column and cross rows. */
export function stepFrom(layout: FieldLayout, index: number, step: Step): number {
  const last = layout.total - 1;
  if (last < 0) return 0;
  if (step === "first") return 0;
  if (step === "last") return last;
  if (step === "left") return Math.max(0, index - 1);
  if (step === "right") return Math.min(last, index + 1);
  const here = lineOf(layout, index);
  if (here === undefined) return index;
  const line = layout.lines[here];
  if (!line) return index;
  const column = index - (layout.firsts[line.row] ?? 0) - line.start;
  const by = step === "up" ? -1 : 1;
  for (let next = here + by; next >= 0 && next < layout.lines.length; next += by) {
    const target = layout.lines[next];
    if (!target || target.end === target.start) continue;
    return (layout.firsts[target.row] ?? 0) + Math.min(target.start + column, target.end - 1);
  }
  return index;
}

/** The line in which a tile of the flat order stands. */
export function lineOf(layout: FieldLayout, index: number): number | undefined {
  let low = 0;
  let high = layout.lines.length - 1;
  while (low <= high) {
    const middle = (low + high) >> 1;
    const line = layout.lines[middle];
    if (!line) return undefined;
    const first = (layout.firsts[line.row] ?? 0) + line.start;
    if (index < first) high = middle - 1;
    else if (index >= first + line.end - line.start) low = middle + 1;
    else return middle;
  }
  return undefined;
}

/** Where a tile stands in the field's coordinates. */
export function placeOf(layout: FieldLayout, index: number): { left: number; top: number } | undefined {
  const line = layout.lines[lineOf(layout, index) ?? -1];
  if (!line) return undefined;
  const column = index - (layout.firsts[line.row] ?? 0) - line.start;
  return { left: HEAD_WIDTH + column * layout.step, top: line.top + LINE_INSET };
}

/** The part of the field that is on show, in pixels. */
export interface View {
  readonly top: number;
  readonly width: number;
  readonly height: number;
}

/** Flat indices of the tiles between two heights, line by line. */
export function indicesBetween(layout: FieldLayout, top: number, bottom: number): [number, number] {
  const first = layout.lines[lineAt(layout, top)];
  if (!first) return [layout.total, layout.total];
  const from = (layout.firsts[first.row] ?? 0) + first.start;
  const last = layout.lines[Math.min(layout.lines.length - 1, lineAt(layout, bottom))];
  const to = last ? (layout.firsts[last.row] ?? 0) + last.end : layout.total;
  return [from, to];
}
