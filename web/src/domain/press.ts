/** What a pressed pointer does in the field: a click, a range, a rubber band, or pictures being carried. */
import { type FieldLayout, rowAt, SMALLEST_WITH_SIGN, type TileSize, tilesWithin } from "./field";
import { choose, chooseMany, type Selection } from "./selection";

export interface Point {
  readonly x: number;
  readonly y: number;
}

interface Pressed {
  readonly kind: "pressed";
  readonly at: Point;
  /** Of the tile under it. */
  readonly index: number | undefined;
  readonly add: boolean;
  readonly range: boolean;
}

export type Press =
  | Pressed
  | { kind: "band"; at: Point; to: Point; before: Selection; add: boolean }
  | { kind: "carry"; ids: readonly number[]; to: Point; row: number | undefined };

/** Where it happens. */
export interface Ground {
  readonly layout: FieldLayout;
  readonly size: TileSize;
  readonly selection: Selection;
  readonly idAt: (index: number) => number | undefined;
}

/** A press that moves further than this is a drag. */
const DRAG_PX = 5;

/** True as long as a press may still become a click. */
export function isStill(press: Press, to: Point): boolean {
  return press.kind === "pressed" && Math.hypot(to.x - press.at.x, to.y - press.at.y) < DRAG_PX;
}

/** Pictures are carried; but where they are too small to aim at, only those chosen before. */
function carries(press: Pressed, { size, selection, idAt }: Ground): boolean {
  if (press.index === undefined || press.range) return false;
  const id = idAt(press.index);
  return size >= SMALLEST_WITH_SIGN || (id !== undefined && selection.chosen.has(id));
}

/** A press that has moved, as a band or as pictures carried, and what is chosen then. */
export function moved(press: Press, to: Point, ground: Ground): { press: Press; selection: Selection } {
  const { layout, selection, idAt } = ground;
  if (press.kind === "pressed") {
    if (!carries(press, ground)) {
      return moved({ kind: "band", at: press.at, to, before: selection, add: press.add }, to, ground);
    }
    const index = press.index ?? 0;
    const already = selection.chosen.has(idAt(index) ?? 0);
    const next = already ? selection : choose(selection, index, idAt, { add: press.add, range: false });
    return {
      press: { kind: "carry", ids: [...next.chosen], to, row: rowAt(layout, to.x, to.y) },
      selection: next,
    };
  }
  if (press.kind === "carry") return { press: { ...press, to, row: rowAt(layout, to.x, to.y) }, selection };
  const box = {
    left: Math.min(press.at.x, to.x),
    right: Math.max(press.at.x, to.x),
    top: Math.min(press.at.y, to.y),
    bottom: Math.max(press.at.y, to.y),
  };
  const next = chooseMany(press.before, tilesWithin(layout, box), idAt, press.add);
  return { press: { ...press, to }, selection: next };
}

/** What is chosen after a click; beside the tiles it chooses nothing. */
export function clicked(press: Pressed, { selection, idAt }: Ground): Selection {
  if (press.index !== undefined) {
    return choose(selection, press.index, idAt, { add: press.add, range: press.range });
  }
  return press.add || press.range ? selection : { ...selection, chosen: new Set() };
}
