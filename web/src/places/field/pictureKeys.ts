/** What the keys do with pictures of a field: the ones that are chosen, or the one in the Close-up. */
import type { KeyboardEvent } from "react";
import type { ClassOf } from "../../api/client";
import { labelKey } from "../../domain/labelKeys";
import type { Laid } from "./DeskSheets";

/** What there is to be done. */
export interface PictureDesk {
  readonly classes: readonly ClassOf[];
  label: (ids: readonly number[], classId: number | null) => void;
  toggle: (ids: readonly number[], flag: "excluded" | "unsure") => void;
  bin: (ids: readonly number[]) => void;
  keepOfCopies: (ids: readonly number[]) => void;
  /** Says that they are no copies, or have no such fault: whatever is on show. */
  dismiss: (ids: readonly number[]) => void;
  undo: () => void;
  redo: () => void;
  lay: (next: Laid) => void;
  showLike: (id: number) => void;
  showVaried: (ids: readonly number[]) => void;
  showArea: (ids: readonly number[]) => void;
  /** Labels them as the model on show proposes; where nothing is proposed there is no such step. */
  accept: ((ids: readonly number[]) => void) | undefined;
  chooseAll: () => void;
  chooseNone: () => void;
  sift: () => void;
  resize: (by: -1 | 1) => void;
}

/** Keys that mean something without pictures too. */
function onField(key: string, ids: readonly number[], desk: PictureDesk): boolean {
  switch (key) {
    case "n":
      desk.lay({ kind: ids.length ? "split off" : "new class" });
      return true;
    case "a":
      if (ids.length) return false;
      desk.showArea([]);
      return true;
    case "h":
      desk.lay({ kind: "history", only: false });
      return true;
    case "/":
      desk.sift();
      return true;
    case "Escape":
      desk.chooseNone();
      return true;
    case "+":
    case "-":
      desk.resize(key === "+" ? 1 : -1);
      return true;
  }
  return false;
}

function onPictures(key: string, ids: readonly number[], desk: PictureDesk): boolean {
  const asksFor = labelKey(key, desk.classes);
  if (asksFor?.kind === "label") {
    desk.label(ids, asksFor.classId);
    return true;
  }
  const step = STEPS.get(key);
  if (step && ids.length) step(ids, desk);
  return step !== undefined;
}

const STEPS = new Map<string, (ids: readonly number[], desk: PictureDesk) => void>([
  ["l", (_, desk) => desk.lay({ kind: "label" })],
  ["L", (_, desk) => desk.lay({ kind: "label" })],
  ["x", (ids, desk) => desk.toggle(ids, "excluded")],
  ["u", (ids, desk) => desk.toggle(ids, "unsure")],
  ["k", (ids, desk) => desk.keepOfCopies(ids)],
  ["d", (ids, desk) => desk.dismiss(ids)],
  ["t", (_, desk) => desk.lay({ kind: "note" })],
  ["m", (ids, desk) => desk.showLike(ids[0] as number)],
  ["s", (_, desk) => desk.lay({ kind: "set" })],
  ["v", (ids, desk) => desk.showVaried(ids)],
  ["a", (ids, desk) => desk.showArea(ids)],
  ["y", (ids, desk) => desk.accept?.(ids)],
  ["Delete", (ids, desk) => desk.bin(ids)],
]);

export function mendByKey(event: KeyboardEvent, ids: readonly number[], desk: PictureDesk): void {
  if (event.altKey) return;
  let done = true;
  if (event.ctrlKey || event.metaKey) {
    const key = event.key.toLowerCase();
    if (key === "z" && !event.shiftKey) desk.undo();
    else if (key === "y" || key === "z") desk.redo();
    else if (key === "a") desk.chooseAll();
    else done = false;
  } else done = onPictures(event.key, ids, desk) || onField(event.key, ids, desk);
  if (done) event.preventDefault();
}
