/** What is chosen, as the field changes under it. */
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { FieldIndex } from "../../domain/fieldIndex";
import type { FieldRow } from "../../domain/fieldRows";
import { idsOfRow, moveOn, NOTHING_CHOSEN, refocus, type Selection } from "../../domain/selection";

export function useSelection(index: FieldIndex, total: number) {
  const [selection, setSelection] = useState<Selection>(NOTHING_CHOSEN);
  const chosen = useMemo(() => [...selection.chosen], [selection.chosen]);

  // When the field changes the focus stays with its picture; after a label it goes to the one that was next.
  const before = useRef({ index, next: undefined as number | undefined });
  useEffect(() => {
    if (before.current.index === index) return;
    const { index: old, next } = before.current;
    before.current = { index, next: undefined };
    setSelection((now) => (next === undefined ? refocus(now, old, index) : moveOn(now, next, index)));
  }, [index]);

  // Of a large field the rest is still on its way for a moment: all of it is meant.
  const allWanted = useRef(false);
  const chooseAll = useCallback(() => {
    allWanted.current = index.loaded < total;
    setSelection((now) => ({ ...now, chosen: new Set(index.ids()) }));
  }, [index, total]);
  useEffect(() => {
    if (allWanted.current && index.loaded === total) chooseAll();
  }, [index, total, chooseAll]);

  return {
    selection,
    setSelection,
    chosen,
    chooseAll,
    chooseNone: () => setSelection((now) => ({ ...now, chosen: new Set<number>() })),
    chooseOnly: (id: number, at: number) => setSelection({ chosen: new Set([id]), focus: at, anchor: at }),
    chooseRow: (rows: readonly FieldRow[], row: FieldRow) => {
      const { first, ids } = idsOfRow(rows, row, index);
      setSelection({ chosen: new Set(ids), focus: first, anchor: first });
    },
    /** The picture to go to when the field comes back without this one at its place. */
    goOnFrom: (id: number): number | undefined => {
      const at = id === index.idAt(selection.focus) ? selection.focus : index.indexOf(id);
      const next = at === undefined ? undefined : (index.idAt(at + 1) ?? index.idAt(at - 1));
      before.current.next = next;
      return next;
    },
  };
}

export type Chosen = ReturnType<typeof useSelection>;
