/** What can be done with pictures of a field, by key, by pointer and in the Close-up. */
import { useCallback } from "react";
import { useNavigate } from "react-router";
import type { SetName } from "../../api/client";
import { useAddress, usePlace } from "../../app/context";
import { TILE_SIZES } from "../../domain/field";
import { EXCLUDED, lacks, UNSURE } from "../../domain/fieldIndex";
import { orderedByLikeness } from "../../domain/siftLine";
import type { Mending } from "../mending/useMending";
import type { Laid } from "./DeskSheets";
import type { PictureDesk } from "./pictureKeys";
import type { Shown } from "./shown";
import type { Chosen } from "./useSelection";

interface Parts {
  shown: Shown;
  chosen: Chosen;
  mending: Mending;
  /** After a single picture was mended, go to the next one. */
  movesOn: boolean;
  closeUp: number | undefined;
  onCloseUp: (id: number | undefined) => void;
  onLay: (next: Laid) => void;
  /** Shows pictures in Rows by a Sift; in Rows itself everything else of the address stays. */
  onSift: (sift: string, like?: number) => void;
  /** Where a Sift is written. */
  onWriteSift: () => void;
  /** Labels pictures as the model on show proposes, where it does. */
  accept?: ((ids: readonly number[]) => void) | undefined;
  /** Says of pictures that they are no such thing, in place of copies. */
  dismiss?: ((ids: readonly number[]) => void) | undefined;
}

export interface DeskActions extends PictureDesk {
  moveToSet: (ids: readonly number[], set: SetName | null) => void;
  /** Goes to the next picture or the one before in the Close-up. */
  step: (by: -1 | 1) => void;
  note: (ids: readonly number[], note: string) => void;
}

export function useDesk(parts: Parts): DeskActions {
  const { project, classes } = usePlace();
  const navigate = useNavigate();
  const { chosen, mending, onLay } = parts;
  const goOn = useGoingOn(parts);
  const moveToSet = useMoveToSet(mending);
  const step = useStep(parts);
  const { resize, showLike } = useAddressed(parts);
  return {
    classes,
    label: (ids, classId) => {
      if (!ids.length) return;
      goOn(ids);
      void mending.label(ids, classId);
    },
    moveToSet: (ids, set) => {
      goOn(ids);
      moveToSet(ids, set);
    },
    note: (ids, note) => {
      goOn(ids);
      void mending.note(ids, note);
    },
    step,
    resize,
    showLike,
    toggle: (ids, flag) => {
      // Where all have the flag it is taken away.
      const wanted = lacks(parts.shown.index, ids, flag === "excluded" ? EXCLUDED : UNSURE);
      if (!ids.length) return;
      // What is taken back is to be seen.
      if (wanted) goOn(ids);
      void mending.mark(ids, flag, wanted);
    },
    bin: (ids) => {
      void mending.bin(ids);
      if (parts.closeUp !== undefined) step(1);
    },
    keepOfCopies: (ids) => void mending.keepOfCopies(ids),
    dismiss: (ids) => {
      if (!parts.dismiss) void mending.dismissCopies(ids);
      else if (ids.length) {
        goOn(ids);
        parts.dismiss(ids);
      }
    },
    undo: () => void mending.undo(),
    redo: () => void mending.redo(),
    lay: onLay,
    showVaried: (ids) =>
      navigate(`/p/${project.id}/runs?part=variation&pictures=${ids.slice(0, 12).join(",")}`),
    showArea: (ids) =>
      navigate(`/p/${project.id}/rows/area${ids.length ? `?pictures=${ids.slice(0, 500).join(",")}` : ""}`),
    accept:
      parts.accept &&
      ((ids) => {
        if (!ids.length) return;
        goOn(ids);
        parts.accept?.(ids);
      }),
    chooseAll: chosen.chooseAll,
    chooseNone: chosen.chooseNone,
    sift: parts.onWriteSift,
  };
}

/** Goes from a picture that is being mended to the next one. */
function useGoingOn({ chosen, movesOn, closeUp, onCloseUp }: Parts) {
  const { goOnFrom } = chosen;
  return useCallback(
    ([only, ...others]: readonly number[]) => {
      if (!movesOn || only === undefined || others.length) return;
      const next = goOnFrom(only);
      if (closeUp !== undefined) onCloseUp(next);
    },
    [movesOn, goOnFrom, closeUp, onCloseUp],
  );
}

/** A split that a run has used goes on as its next version, and the address with it. */
function useMoveToSet(mending: Mending) {
  const { split } = usePlace();
  const [, setAddress] = useAddress();
  return (ids: readonly number[], set: SetName | null) => {
    if (!split || !ids.length) return;
    void mending
      .putInSet(split.id, ids, set)
      .then((now) => now && now !== split.id && setAddress({ split: String(now) }));
  };
}

function useStep({ shown: { index }, chosen, closeUp, onCloseUp }: Parts) {
  return (by: -1 | 1) => {
    const at = (closeUp === undefined ? undefined : index.indexOf(closeUp)) ?? chosen.selection.focus;
    const next = Math.max(0, Math.min(index.loaded - 1, at + by));
    const id = index.idAt(next);
    if (id === undefined) return;
    onCloseUp(id);
    chosen.chooseOnly(id, next);
  };
}

function useAddressed({ shown, onCloseUp, onSift }: Parts) {
  const [, setAddress] = useAddress();
  return {
    resize: (by: -1 | 1) => {
      const next = TILE_SIZES[TILE_SIZES.indexOf(shown.size) + by];
      if (next) setAddress({ tile: String(next) });
    },
    /** Puts the pictures most like this one first, in every row. */
    showLike: (id: number) => {
      onCloseUp(undefined);
      onSift(orderedByLikeness(shown.asked.sift), id);
    },
  };
}
