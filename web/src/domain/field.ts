/** The picture field as geometry: rows by key, lines of tiles within them, and what a point or rectangle meets. */
import type { ClassOf, Picture, SetName } from "../api/client";

export type GroupKey = "class" | "set";
export const TILE_SIZES = [12, 28, 56, 104, 200] as const;
export type TileSize = (typeof TILE_SIZES)[number];

/** Below this a tile shows its colour only. */
export const SMALLEST_WITH_SIGN = 32;
export const HEAD_WIDTH = 176;
const LEAST_ROW_HEIGHT = 58;
const ROW_GAP = 14;

export interface FieldRow {
  readonly key: string;
  readonly name: string;
  readonly classId: number | null | undefined;
  readonly place: number | undefined;
  readonly sign: string | undefined;
  readonly pictures: readonly Picture[];
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
  readonly flat: readonly Picture[];
}

/** Height of a tile's foot, below its picture. */
export const FOOT_HEIGHT: Record<TileSize, number> = { 12: 0, 28: 3, 56: 12, 104: 16, 200: 18 };

export function tileGap(size: TileSize): number {
  return size < SMALLEST_WITH_SIGN ? 1 : 4;
}

/** Rows of the field: unlabelled first, then classes in their order; or the three sets and those in none. */
export function fieldRows(
  pictures: readonly Picture[],
  classes: readonly ClassOf[],
  group: GroupKey,
): FieldRow[] {
  if (group === "set") return setRows(pictures);
  const byClass = new Map<number | null, Picture[]>();
  for (const picture of pictures) {
    const members = byClass.get(picture.class_id);
    if (members) members.push(picture);
    else byClass.set(picture.class_id, [picture]);
  }
  const unlabelled = byClass.get(null) ?? [];
  const rows: FieldRow[] = classes.map((entry) => ({
    key: `class-${entry.id}`,
    name: entry.name,
    classId: entry.id,
    place: entry.place,
    sign: entry.sign,
    pictures: byClass.get(entry.id) ?? [],
  }));
  if (unlabelled.length || !pictures.length) {
    rows.unshift({
      key: "unlabelled",
      name: "unlabelled",
      classId: null,
      place: undefined,
      sign: undefined,
      pictures: unlabelled,
    });
  }
  return rows;
}

function setRows(pictures: readonly Picture[]): FieldRow[] {
  const names: readonly (SetName | null)[] = ["training", "validation", "test", null];
  return names
    .map((name) => ({
      key: `set-${name ?? "none"}`,
      name: name ?? "in no set",
      classId: undefined,
      place: undefined,
      sign: undefined,
      pictures: pictures.filter((picture) => picture.set_name === name),
    }))
    .filter((row) => row.pictures.length > 0 || row.name !== "in no set");
}

export function layOut(rows: readonly FieldRow[], size: TileSize, width: number): FieldLayout {
  const step = size + tileGap(size);
  const rise = step + FOOT_HEIGHT[size];
  const columns = Math.max(1, Math.floor((width - HEAD_WIDTH) / step));
  const lines: FieldLine[] = [];
  const firsts: number[] = [];
  const flat: Picture[] = [];
  let top = 0;
  rows.forEach((row, index) => {
    firsts.push(flat.length);
    for (const picture of row.pictures) flat.push(picture);
    const count = Math.max(1, Math.ceil(row.pictures.length / columns));
    for (let line = 0; line < count; line++) {
      const last = line === count - 1;
      // A row is never lower than its head, and rows stand apart.
      const height = last ? Math.max(rise, LEAST_ROW_HEIGHT - (count - 1) * rise) + ROW_GAP : rise;
      const start = line * columns;
      lines.push({ row: index, start, end: Math.min(start + columns, row.pictures.length), height, top });
      top += height;
    }
  });
  return { columns, step, rise, lines, height: top, firsts, flat };
}

/** Flat indices of the tiles that a rectangle in the field's coordinates touches. */
export function tilesWithin(
  layout: FieldLayout,
  box: { left: number; top: number; right: number; bottom: number },
): number[] {
  const found: number[] = [];
  for (const line of layout.lines) {
    if (line.top + layout.rise <= box.top || line.top >= box.bottom) continue;
    const from = Math.max(0, Math.floor((box.left - HEAD_WIDTH) / layout.step));
    const to = Math.min(layout.columns - 1, Math.floor((box.right - HEAD_WIDTH) / layout.step));
    for (let column = from; column <= to; column++) {
      const within = line.start + column;
      if (within < line.end) found.push((layout.firsts[line.row] ?? 0) + within);
    }
  }
  return found;
}

export function rowAt(layout: FieldLayout, y: number): number | undefined {
  return layout.lines.find((line) => y >= line.top && y < line.top + line.height)?.row;
}

export type Step = "left" | "right" | "up" | "down" | "first" | "last";

/** The tile that an arrow leads to; up and down keep the column and cross rows. */
export function stepFrom(layout: FieldLayout, index: number, step: Step): number {
  const last = layout.flat.length - 1;
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
  const found = layout.lines.findIndex((line) => {
    const first = layout.firsts[line.row] ?? 0;
    return index >= first + line.start && index < first + line.end;
  });
  return found < 0 ? undefined : found;
}

/** Counts by set for a row's bar; what is in no set comes last. */
export function setCounts(pictures: readonly Picture[]): Record<SetName | "none", number> {
  const counts = { training: 0, validation: 0, test: 0, none: 0 };
  for (const picture of pictures) counts[picture.set_name ?? "none"]++;
  return counts;
}
