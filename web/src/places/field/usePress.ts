/** Clicks, ranges, the rubber band and carrying, from one pointer. */
import { type PointerEvent, type RefObject, useRef, useState } from "react";
import { LINE_INSET, rowAt, tileAt } from "../../domain/field";
import type { FieldRow } from "../../domain/fieldRows";
import { clicked, type Ground, isStill, moved, type Point, type Press } from "../../domain/press";
import type { Selection } from "../../domain/selection";

interface Props extends Ground {
  scroller: RefObject<HTMLDivElement | null>;
  rows: readonly FieldRow[];
  onSelection: (next: Selection) => void;
  accepts: (row: FieldRow) => boolean;
  onDropOn: (row: FieldRow, pictureIds: readonly number[]) => void;
}

const SCROLL_EDGE_PX = 36;

export function usePress(props: Props) {
  const { layout, scroller, selection, onSelection } = props;
  const [now, setNow] = useState<Press>();
  // A pointer may be quicker than the drawing: what it does counts from where it is, not from what is drawn.
  const held = useRef<Press>(undefined);
  const hold = (press: Press | undefined) => {
    held.current = press;
    setNow(press);
  };

  const pointOf = (event: { clientX: number; clientY: number }): Point => {
    const box = scroller.current?.getBoundingClientRect();
    return {
      x: event.clientX - (box?.left ?? 0),
      y: event.clientY - (box?.top ?? 0) + (scroller.current?.scrollTop ?? 0),
    };
  };
  const tileOf = (event: { clientX: number; clientY: number }) => {
    const to = pointOf(event);
    return tileAt(layout, to.x, to.y - LINE_INSET);
  };
  const onPointerDown = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0 || (event.target as Element).closest("button")) return;
    // The scroll bar is not the field.
    if (event.nativeEvent.offsetX > event.currentTarget.clientWidth && event.target === event.currentTarget)
      return;
    scroller.current?.focus({ preventScroll: true });
    const add = event.ctrlKey || event.metaKey;
    hold({ kind: "pressed", at: pointOf(event), index: tileOf(event), add, range: event.shiftKey });
  };
  const onPointerMove = (event: PointerEvent<HTMLDivElement>) => {
    const press = held.current;
    const to = pointOf(event);
    if (!press || isStill(press, to)) return;
    if (press.kind === "pressed") event.currentTarget.setPointerCapture(event.pointerId);
    const next = moved(press, to, props);
    if (next.selection !== selection) onSelection(next.selection);
    hold(next.press);
    scrollAtEdge(scroller.current, event.clientY);
  };
  const onPointerUp = (event: PointerEvent<HTMLDivElement>) => {
    const press = held.current;
    hold(undefined);
    if (press?.kind === "pressed") onSelection(clicked(press, props));
    else if (press?.kind === "carry") {
      const to = pointOf(event);
      const row = props.rows[rowAt(layout, to.x, to.y) ?? -1];
      if (row && props.accepts(row)) props.onDropOn(row, press.ids);
    }
  };
  const handlers = { onPointerDown, onPointerMove, onPointerUp, onPointerCancel: () => hold(undefined) };
  return { now, tileOf, handlers };
}

function scrollAtEdge(element: HTMLDivElement | null, clientY: number): void {
  if (!element) return;
  const box = element.getBoundingClientRect();
  if (clientY < box.top + SCROLL_EDGE_PX) element.scrollTop -= 24;
  else if (clientY > box.bottom - SCROLL_EDGE_PX) element.scrollTop += 24;
}
