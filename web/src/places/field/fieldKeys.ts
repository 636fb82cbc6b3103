/** Keys of the picture field; what it does not know itself it hands on. */
import type { KeyboardEvent } from "react";
import { type FieldLayout, type Step, stepFrom } from "../../domain/field";
import { choose, type Selection } from "../../domain/selection";

const STEPS: Record<string, Step> = {
  ArrowLeft: "left",
  ArrowRight: "right",
  ArrowUp: "up",
  ArrowDown: "down",
  Home: "first",
  End: "last",
};

interface Keys {
  layout: FieldLayout;
  selection: Selection;
  idAt: (index: number) => number | undefined;
  onSelection: (next: Selection) => void;
  /** Bring a tile into sight. */
  onShow: (index: number) => void;
  onOpen: (pictureId: number) => void;
  onKey: (event: KeyboardEvent) => void;
}

export function fieldKeys({ layout, selection, idAt, onSelection, onShow, onOpen, onKey }: Keys) {
  return (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    const plain = !event.ctrlKey && !event.metaKey && !event.altKey;
    const picture = idAt(selection.focus);
    if (step && plain) {
      const next = stepFrom(layout, selection.focus, step);
      onSelection(choose(selection, next, idAt, { add: false, range: event.shiftKey }));
      onShow(next);
    } else if (event.key === " " && plain) {
      onSelection(choose(selection, selection.focus, idAt, { add: true, range: false }));
    } else if (event.key === "Enter" && plain) {
      if (picture === undefined) return;
      onOpen(picture);
    } else {
      onKey(event);
      return;
    }
    event.preventDefault();
  };
}
