/** The canvas below the field: follows the scrolling, asks for the tiles that come into sight, and paints. */
import { type RefObject, useEffect, useLayoutEffect, useMemo, useRef } from "react";
import type { ClassOf } from "../../api/client";
import { needBytes } from "../../api/client";
import type { FieldLayout, TileSize } from "../../domain/field";
import type { FieldIndex } from "../../domain/fieldIndex";
import type { Selection } from "../../domain/selection";
import { type FetchSheet, TileStore } from "../../domain/tileStore";
import { indicesBetween, type Palette, paintField, readPalette } from "./paintField";

interface Props {
  projectId: number;
  scroller: RefObject<HTMLDivElement | null>;
  layout: FieldLayout;
  index: FieldIndex;
  size: TileSize;
  classes: ReadonlyMap<number, ClassOf>;
  selection: Selection;
  active: boolean;
}

/** Screens above and below the present one whose tiles are fetched too, once its own are there. */
const MARGIN_SCREENS = 0.75;
/** The largest side that the server keeps; beyond it tiles are enlarged here. */
const LARGEST_SIDE = 208;

function sheetFetcher(projectId: number): FetchSheet {
  return async (ids, side, columns) => {
    const data = await needBytes(`/api/projects/${projectId}/sheets`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ picture_ids: ids, side, columns }),
    });
    return createImageBitmap(new Blob([data]));
  };
}

export function useFieldCanvas(props: Props): RefObject<HTMLCanvasElement | null> {
  const canvas = useRef<HTMLCanvasElement>(null);
  const latest = useRef(props);
  latest.current = props;
  const palette = useRef<Palette>(undefined);
  const frame = useRef(0);
  const { projectId, size, scroller } = props;
  const side = Math.min(LARGEST_SIDE, Math.round(size * window.devicePixelRatio));

  const { store, paint } = useMemo(() => {
    const made = new TileStore(side, sheetFetcher(projectId), () => later());
    const now = () => {
      frame.current = 0;
      const { layout, index, classes, selection, active } = latest.current;
      const place = latest.current.scroller.current;
      const sheet = canvas.current;
      const on = sheet?.getContext("2d");
      if (!place || !sheet || !on) return;
      const ratio = window.devicePixelRatio;
      const view = { top: place.scrollTop, width: place.clientWidth, height: place.clientHeight };
      if (
        sheet.width !== Math.round(view.width * ratio) ||
        sheet.height !== Math.round(view.height * ratio)
      ) {
        sheet.width = Math.round(view.width * ratio);
        sheet.height = Math.round(view.height * ratio);
        sheet.style.width = `${view.width}px`;
        sheet.style.height = `${view.height}px`;
      }
      palette.current ??= readPalette(on);
      on.setTransform(ratio, 0, 0, ratio, 0, 0);
      const margin = view.height * MARGIN_SCREENS;
      const [from, to] = indicesBetween(layout, view.top, view.top + view.height);
      const [before, behind] = indicesBetween(layout, view.top - margin, view.top + view.height + margin);
      const ids: number[] = [];
      for (const [first, last] of [
        [from, to],
        [to, behind],
        [before, from],
      ] as const) {
        for (let at = first; at < last; at++) {
          const id = index.idAt(at);
          if (id !== undefined) ids.push(id);
        }
      }
      made.want(ids);
      const focus = active ? selection.focus : undefined;
      paintField(
        on,
        {
          layout,
          index,
          size: latest.current.size,
          classes,
          chosen: selection.chosen,
          focus,
          tileOf: (id) => made.get(id),
          side,
        },
        palette.current,
        view,
      );
      let complete = true;
      for (let at = from; at < to && complete; at++) {
        const id = index.idAt(at);
        complete = id !== undefined && made.get(id) !== undefined;
      }
      // Whoever waits for the screen to be whole, a measurement or a test, reads it here.
      sheet.dataset.painted = complete ? "whole" : "partly";
    };
    const later = () => {
      if (!frame.current) frame.current = requestAnimationFrame(now);
    };
    return { store: made, paint: later };
  }, [projectId, side]);

  useEffect(() => () => store.close(), [store]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: whatever changed is painted
  useLayoutEffect(
    () => paint(),
    [props.layout, props.index, props.classes, props.selection, props.active, paint],
  );

  useEffect(() => {
    const place = scroller.current;
    if (!place) return;
    const sized = new ResizeObserver(paint);
    sized.observe(place);
    place.addEventListener("scroll", paint, { passive: true });
    const themed = new MutationObserver(() => {
      palette.current = undefined;
      paint();
    });
    themed.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
    return () => {
      sized.disconnect();
      themed.disconnect();
      place.removeEventListener("scroll", paint);
    };
  }, [scroller, paint]);

  return canvas;
}
