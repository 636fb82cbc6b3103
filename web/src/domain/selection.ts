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

/** After the field changed, what is no longer there is not chosen any more. */
export function keepPresent(now: Selection, present: ReadonlySet<number>, count: number): Selection {
  const chosen = new Set([...now.chosen].filter((id) => present.has(id)));
  const clamp = (index: number) => Math.max(0, Math.min(index, count - 1));
  if (chosen.size === now.chosen.size && clamp(now.focus) === now.focus && clamp(now.anchor) === now.anchor) {
    return now;
  }
  return { chosen, focus: clamp(now.focus), anchor: clamp(now.anchor) };
}
