/** Which shelves of the field are on show, and where it is scrolled to. */
import { useVirtualizer } from "@tanstack/react-virtual";
import { type RefObject, useEffect, useLayoutEffect, useRef, useState } from "react";
import { type FieldLayout, placeOf, shelfAt } from "../../domain/field";

/** Shelves near what is on show; `showTile` brings one of them into sight. */
export function useFieldLines(
  scroller: RefObject<HTMLDivElement | null>,
  layout: FieldLayout,
  focus: number,
  active: boolean,
) {
  const lines = useVirtualizer({
    count: layout.shelves.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => layout.shelves[index]?.height ?? 0,
    overscan: 6,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: heights follow the layout, which the virtualizer cannot see
  useLayoutEffect(() => lines.measure(), [layout]);

  const showTile = (index: number) => {
    const place = placeOf(layout, index);
    if (place) lines.scrollToIndex(shelfAt(layout, place.top), { align: "auto" });
  };
  // After the field changed, the focus stays with its picture, and the picture in sight.
  const shown = useRef(focus);
  useEffect(() => {
    if (shown.current === focus) return;
    shown.current = focus;
    if (active) showTile(focus);
  });

  const first = lines.getVirtualItems().find((item) => item.end > (scroller.current?.scrollTop ?? 0) + 1);
  const top = layout.lines[layout.shelves[first?.index ?? -1]?.first ?? -1];
  /** The row that has begun above what is on show. */
  const pinned = layout.heads === "left" && top && top.start > 0 ? top.row : undefined;
  return { items: lines.getVirtualItems(), height: lines.getTotalSize(), showTile, pinned };
}

export function useWidth(element: RefObject<HTMLDivElement | null>): number {
  const [width, setWidth] = useState(1200);
  useLayoutEffect(() => {
    const here = element.current;
    if (!here) return;
    const observer = new ResizeObserver(() => setWidth(here.clientWidth));
    observer.observe(here);
    setWidth(here.clientWidth);
    return () => observer.disconnect();
  }, [element]);
  return width;
}
