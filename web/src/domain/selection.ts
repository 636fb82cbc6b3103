/** What is chosen in the field: a set of pictures, and the tile from which a range extends. */

export interface Selection {
  readonly chosen: ReadonlySet<number>;
  /** Flat index of the focused tile, and of the one where a range began. */
  readonly focus: number;
  readonly anchor: number;
}

export const NOTHING_CHOSEN: Selection = { chosen: new Set(), focus: 0, anchor: 0 };

type Ids = (index: number) => number | undefined;

function between(from: number, to: number, idAt: Ids): number[] {
  const ids: number[] = [];
  for (let index = Math.min(from, to); index <= Math.max(from, to); index++) {
    const id = idAt(index);
    if (id !== undefined) ids.push(id);
  }
  return ids;
}

/** A plain click chooses one tile; with `add` it is added or taken out; with `range` everything from the anchor. */
export function choose(
  now: Selection,
  index: number,
  idAt: Ids,
  how: { add: boolean; range: boolean },
): Selection {
  const id = idAt(index);
  if (id === undefined) return now;
  if (how.range) {
    const base = how.add ? now.chosen : [];
    return {
      chosen: new Set([...base, ...between(now.anchor, index, idAt)]),
      focus: index,
      anchor: now.anchor,
    };
  }
  if (how.add) {
    const chosen = new Set(now.chosen);
    if (!chosen.delete(id)) chosen.add(id);
    return { chosen, focus: index, anchor: index };
  }
  return { chosen: new Set([id]), focus: index, anchor: index };
}

/** The rubber band chooses what it touches; with `add`, beside what was chosen before it began. */
export function chooseMany(
  before: Selection,
  indices: readonly number[],
  idAt: Ids,
  add: boolean,
): Selection {
  const chosen = new Set(add ? before.chosen : []);
  for (const index of indices) {
    const id = idAt(index);
    if (id !== undefined) chosen.add(id);
  }
  const focus = indices[0] ?? before.focus;
  return { chosen, focus, anchor: focus };
}

/** Where pictures stand, as far as it is known. */
interface Places {
  readonly loaded: number;
  readonly total: number;
  idAt(index: number): number | undefined;
  indexOf(id: number): number | undefined;
}

/** After the field changed: what is no longer there is not chosen any more, and the focus stays with its picture. */
export function refocus(now: Selection, before: Places, after: Places): Selection {
  const clamp = (index: number) => Math.max(0, Math.min(index, after.total - 1));
  const follow = (index: number) => {
    const id = before.idAt(index);
    return (id === undefined ? undefined : after.indexOf(id)) ?? clamp(index);
  };
  let chosen = now.chosen;
  // While the rest is on its way it is not known what is gone.
  if (chosen.size && after.loaded === after.total) {
    const left = new Set(chosen);
    for (let index = 0; index < after.loaded && left.size; index++) left.delete(after.idAt(index) as number);
    if (left.size) chosen = new Set([...chosen].filter((id) => !left.has(id)));
  }
  const [focus, anchor] = [follow(now.focus), follow(now.anchor)];
  if (chosen === now.chosen && focus === now.focus && anchor === now.anchor) return now;
  return { chosen, focus, anchor };
}

/** The picture that follows the one that was labelled, if it is still there. */
export function moveOn(now: Selection, next: number, after: Places): Selection {
  const index = after.indexOf(next);
  return index === undefined ? now : { chosen: new Set([next]), focus: index, anchor: index };
}

/** The pictures of one row, as far as they are known, and the flat index of its first tile. */
export function idsOfRow<Row extends { readonly count: number }>(
  rows: readonly Row[],
  row: Row,
  index: Places,
): { first: number; ids: number[] } {
  const first = rows.slice(0, rows.indexOf(row)).reduce((sum, entry) => sum + entry.count, 0);
  return { first, ids: row.count ? between(first, first + row.count - 1, (at) => index.idAt(at)) : [] };
}

/** A list of classes with one of them moved up or down; as it was at either end. */
export function movedBy(order: readonly number[], id: number, by: -1 | 1): readonly number[] {
  const from = order.indexOf(id);
  const to = from + by;
  if (from < 0 || to < 0 || to >= order.length) return order;
  const next = order.filter((entry) => entry !== id);
  return [...next.slice(0, to), id, ...next.slice(to)];
}
