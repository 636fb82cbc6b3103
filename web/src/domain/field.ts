/** The picture field as geometry: lines of tiles in its rows, and what a point or rectangle meets. */
import type { FieldRow } from "./fieldRows";

export const TILE_SIZES = [12, 24, 56, 104, 200] as const;
export type TileSize = (typeof TILE_SIZES)[number];

/** The size that an address names, if there is such a one. */
export function tileSizeOf(text: string | null, usual: TileSize): TileSize {
  return TILE_SIZES.find((value) => String(value) === text) ?? usual;
}

/** Below this a tile shows its colour only. */
export const SMALLEST_WITH_SIGN = 32;
export const HEAD_WIDTH = 176;
/** Above a line's tiles. */
export const LINE_INSET = 4;
const LEAST_ROW_HEIGHT = 58;
const ROW_GAP = 14;
/** Of rows that stand beside each other: their heads above them, the room between two, and at the left edge. */
const PACKED_HEAD_WIDTH = 196;
const PACKED_HEAD_HEIGHT = 52;
const PACKED_GAP = 20;
const PACKED_MARGIN = 12;

/** Where the heads of rows stand: at the left end; above, and then small rows beside each other; or nowhere. */
export type Heads = "left" | "above" | "none";

export interface FieldLine {
  readonly row: number;
  /** First and one past the last tile, within the row. */
  readonly start: number;
  readonly end: number;
  readonly height: number;
  readonly top: number;
  /** Left edge of its first tile. */
  readonly left: number;
  /** From its top to the pictures of its tiles. */
  readonly inset: number;
}

/** Lines that stand beside each other. */
export interface FieldShelf {
  /** First and one past the last line. */
  readonly first: number;
  readonly end: number;
  readonly top: number;
  readonly height: number;
}

export interface FieldLayout {
  readonly columns: number;
  /** From one tile to the next, across and down. */
  readonly step: number;
  readonly rise: number;
  readonly lines: readonly FieldLine[];
  readonly shelves: readonly FieldShelf[];
  readonly height: number;
  /** Index of each row's first tile in the flat order of all tiles. */
  readonly firsts: readonly number[];
  readonly total: number;
  readonly heads: Heads;
}

/** Height of a tile's foot, below its picture. */
export const FOOT_HEIGHT: Record<TileSize, number> = { 12: 0, 24: 3, 56: 12, 104: 16, 200: 18 };

export function tileGap(size: TileSize): number {
  return size < SMALLEST_WITH_SIGN ? 1 : 4;
}

/** Rows of tiles under each other; or, with their heads above them, as many small rows beside each other as fit. */
export function layOut(
  rows: readonly FieldRow[],
  size: TileSize,
  width: number,
  heads: Heads = "left",
): FieldLayout {
  const step = size + tileGap(size);
  const rise = step + FOOT_HEIGHT[size];
  const margin = heads === "left" ? HEAD_WIDTH : PACKED_MARGIN;
  const columns = Math.max(1, Math.floor((width - margin) / step));
  const firsts: number[] = [];
  let total = 0;
  for (const row of rows) {
    firsts.push(total);
    total += row.count;
  }
  const measures = { columns, step, rise, margin, leastHeight: heads === "left" ? LEAST_ROW_HEIGHT : 0 };
  const shelves = heads === "above" ? packedShelves(rows, measures, width) : plainShelves(rows, measures);
  const lines: FieldLine[] = [];
  const found: FieldShelf[] = [];
  let top = 0;
  for (const shelf of shelves) {
    const height = Math.max(...shelf.map((line) => line.height));
    found.push({ first: lines.length, end: lines.length + shelf.length, top, height });
    for (const line of shelf) lines.push({ ...line, height, top });
    top += height;
  }
  return { columns, step, rise, lines, shelves: found, height: top, firsts, total, heads };
}

type Measures = Pick<FieldLayout, "columns" | "step" | "rise"> & {
  margin: number;
  leastHeight: number;
};
type LooseLine = Omit<FieldLine, "top">;

function* plainShelves(
  rows: readonly FieldRow[],
  { columns, rise, margin, leastHeight }: Measures,
): Generator<LooseLine[]> {
  for (const [row, { count: tiles }] of rows.entries()) {
    const count = Math.max(1, Math.ceil(tiles / columns));
    for (let line = 0; line < count; line++) {
      const last = line === count - 1;
      // A row is never lower than its head, and rows stand apart.
      const height = last ? Math.max(rise, leastHeight - (count - 1) * rise) + ROW_GAP : rise;
      const start = line * columns;
      const end = Math.min(start + columns, tiles);
      yield [{ row, start, end, height, left: margin, inset: LINE_INSET }];
    }
  }
}

function* packedShelves(
  rows: readonly FieldRow[],
  { columns, step, rise, margin }: Measures,
  width: number,
): Generator<LooseLine[]> {
  let shelf: LooseLine[] = [];
  let left = margin;
  for (const [row, { count: tiles }] of rows.entries()) {
    const count = Math.max(1, Math.ceil(tiles / columns));
    const wide = Math.max(PACKED_HEAD_WIDTH, Math.min(tiles, columns) * step);
    if (shelf.length && left + wide > width) {
      yield shelf;
      shelf = [];
      left = margin;
    }
    for (let line = 0; line < count; line++) {
      const start = line * columns;
      const end = Math.min(start + columns, tiles);
      const inset = line ? LINE_INSET : PACKED_HEAD_HEIGHT;
      shelf.push({ row, start, end, height: inset + rise + (line === count - 1 ? ROW_GAP : 0), left, inset });
      // What goes on in another line leaves no room beside it.
      if (line < count - 1) {
        yield shelf;
        shelf = [];
        left = margin;
      }
    }
    left += wide + PACKED_GAP;
  }
  if (shelf.length) yield shelf;
}

/** How wide a packed row stands, for its head. */
export function packedWidth(layout: FieldLayout, line: FieldLine): number {
  return Math.max(PACKED_HEAD_WIDTH, (line.end - line.start) * layout.step);
}

/** Number of the first line that ends below a height. */
export function lineAt(layout: FieldLayout, y: number): number {
  return layout.shelves[shelfAt(layout, y)]?.first ?? layout.lines.length;
}

/** Number of the first shelf that ends below a height. */
export function shelfAt(layout: FieldLayout, y: number): number {
  let low = 0;
  let high = layout.shelves.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    const shelf = layout.shelves[middle];
    if (shelf && shelf.top + shelf.height <= y) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The lines of a shelf. */
export function linesOf(layout: FieldLayout, shelf: number): readonly FieldLine[] {
  const found = layout.shelves[shelf];
  return found ? layout.lines.slice(found.first, found.end) : [];
}

/** Flat indices of the tiles that a rectangle in the field's coordinates touches. */
export function tilesWithin(
  layout: FieldLayout,
  box: { left: number; top: number; right: number; bottom: number },
): number[] {
  const found: number[] = [];
  for (let number = lineAt(layout, box.top); number < layout.lines.length; number++) {
    const line = layout.lines[number];
    if (!line || line.top >= box.bottom) break;
    const top = line.top + line.inset - LINE_INSET;
    if (top >= box.bottom || top + layout.rise <= box.top) continue;
    const from = Math.max(0, Math.floor((box.left - line.left) / layout.step));
    const to = Math.min(line.end - line.start - 1, Math.floor((box.right - line.left) / layout.step));
    for (let column = from; column <= to; column++) {
      found.push((layout.firsts[line.row] ?? 0) + line.start + column);
    }
  }
  return found;
}

/** The tile under a point. */
export function tileAt(layout: FieldLayout, x: number, y: number): number | undefined {
  for (const line of linesOf(layout, shelfAt(layout, y))) {
    const top = line.top + line.inset - LINE_INSET;
    const column = Math.floor((x - line.left) / layout.step);
    if (column >= 0 && column < line.end - line.start && y >= top && y < top + layout.rise) {
      return (layout.firsts[line.row] ?? 0) + line.start + column;
    }
  }
  return undefined;
}

/** The row at a point; beside the last of those that stand beside each other it is that one. */
export function rowAt(layout: FieldLayout, x: number, y: number): number | undefined {
  if (y < 0) return undefined;
  const lines = linesOf(layout, shelfAt(layout, y));
  return (lines.findLast((line) => line.left <= x) ?? lines[0])?.row;
}

export type Step = "left" | "right" | "up" | "down" | "first" | "last";

/** The tile that an arrow leads to; up and down go to what stands there, and cross rows. */
export function stepFrom(layout: FieldLayout, index: number, step: Step): number {
  const last = layout.total - 1;
  if (last < 0) return 0;
  if (step === "first") return 0;
  if (step === "last") return last;
  if (step === "left") return Math.max(0, index - 1);
  if (step === "right") return Math.min(last, index + 1);
  const place = placeOf(layout, index);
  if (!place) return index;
  const by = step === "up" ? -1 : 1;
  for (let next = shelfAt(layout, place.top) + by; layout.shelves[next]; next += by) {
    const nearest = nearestTile(layout, next, place.left);
    if (nearest !== undefined) return nearest;
  }
  return index;
}

/** The tile of a shelf that stands nearest to a left edge; of two that are as near the one at the left. */
function nearestTile(layout: FieldLayout, shelf: number, left: number): number | undefined {
  let best: number | undefined;
  let least = Number.POSITIVE_INFINITY;
  for (const line of linesOf(layout, shelf)) {
    if (line.end === line.start) continue;
    const wanted = Math.round((left - line.left) / layout.step);
    const column = Math.max(0, Math.min(wanted, line.end - line.start - 1));
    const distance = Math.abs(line.left + column * layout.step - left);
    if (distance < least) {
      least = distance;
      best = (layout.firsts[line.row] ?? 0) + line.start + column;
    }
  }
  return best;
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
  return { left: line.left + column * layout.step, top: line.top + line.inset };
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
  const shelf = layout.shelves[Math.min(layout.shelves.length - 1, shelfAt(layout, bottom))];
  const last = layout.lines[(shelf?.end ?? 0) - 1];
  const to = last ? (layout.firsts[last.row] ?? 0) + last.end : layout.total;
  return [from, to];
}
