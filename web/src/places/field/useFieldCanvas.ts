/** The canvas below the field: follows the scrolling, asks for the tiles that come into sight, and paints. */
import { type RefObject, useEffect, useLayoutEffect, useMemo, useRef } from "react";
import type { ClassOf, Model } from "../../api/client";
import { needBytes } from "../../api/client";
import { heatReader } from "../../api/judgingQueries";
import {
  type FieldLayout,
  indicesBetween,
  SMALLEST_WITH_SIGN,
  type TileSize,
  type View,
} from "../../domain/field";
import type { FieldIndex } from "../../domain/fieldIndex";
import { HeatStore, type Wanted } from "../../domain/heatStore";
import type { Selection } from "../../domain/selection";
import { type FetchSheet, TileStore } from "../../domain/tileStore";
import type { TileHeat } from "./FieldHeat";
import { type PaintedHeat, type Palette, paintedHeat, paintField, readPalette } from "./paintField";

interface Props {
  projectId: number;
  scroller: RefObject<HTMLDivElement | null>;
  layout: FieldLayout;
  index: FieldIndex;
  size: TileSize;
  classes: ReadonlyMap<number, ClassOf>;
  selection: Selection;
  active: boolean;
  heat: HeatOfTiles | undefined;
}

/** Where a model looks, over the tiles: for which class, how strongly. */
export interface HeatOfTiles extends TileHeat {
  readonly model: Model;
  readonly look: number | undefined;
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

  const { close, paint } = useMemo(() => {
    const made = new TileStore(side, sheetFetcher(projectId), () => later());
    const now = () => {
      frame.current = 0;
      const place = latest.current.scroller.current;
      const sheet = canvas.current;
      const on = sheet?.getContext("2d");
      if (!place || !sheet || !on) return;
      palette.current ??= readPalette(on);
      const view = { top: place.scrollTop, width: place.clientWidth, height: place.clientHeight };
      on.setTransform(...fitCanvas(sheet, view));
      made.want(idsBySight(latest.current, view));
      const { selection, active, heat } = latest.current;
      const hot = heat && size >= SMALLEST_WITH_SIGN ? heatsOf(heat, () => later()) : undefined;
      if (hot) hot.want(wantedHeats(latest.current, view));
      else kept?.store.want([]);
      const tiles = {
        tileOf: (id: number) => made.get(id),
        side,
        heatOf: hot && ((id: number, labelled: number) => hot.get({ id, labelled })),
        strength: heat?.strength ?? 0,
      };
      const chosen = { chosen: selection.chosen, focus: active ? selection.focus : undefined };
      paintField(on, { ...latest.current, ...chosen, ...tiles }, palette.current, view);
      // Whoever waits for the screen to be whole, a measurement or a test, reads it here.
      sheet.dataset.painted = isWhole(latest.current, view, made) ? "whole" : "partly";
      sheet.dataset.heat = hot ? (hot.missing() ? "partly" : "whole") : "none";
    };
    const later = () => {
      if (!frame.current) frame.current = requestAnimationFrame(now);
    };
    // Another class, model or look asks for other maps; another strength paints the same ones.
    let kept: { key: string; store: HeatStore<PaintedHeat> } | undefined;
    const heatsOf = (heat: HeatOfTiles, onArrival: () => void) => {
      const key = `${heat.model.id} ${heat.model.digest} ${heat.classId} ${heat.look}`;
      if (kept?.key !== key) {
        kept?.store.close();
        const read = heatReader(heat.model, heat.classId, heat.look);
        kept = { key, store: new HeatStore(async (...of) => paintedHeat(await read(...of)), onArrival) };
      }
      return kept.store;
    };
    const close = () => {
      made.close();
      kept?.store.close();
    };
    return { close, paint: later };
  }, [projectId, side, size]);

  useEffect(() => close, [close]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: whatever changed is painted
  useLayoutEffect(
    () => paint(),
    [props.layout, props.index, props.classes, props.selection, props.active, props.heat, paint],
  );

  useRepaint(scroller, paint, palette);
  return canvas;
}

/** Paints again when the field is scrolled or changes its size, and in other colours when the theme changes. */
function useRepaint(
  scroller: RefObject<HTMLDivElement | null>,
  paint: () => void,
  palette: RefObject<Palette | undefined>,
): void {
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
  }, [scroller, paint, palette]);
}

/** Makes the canvas as large as the view; what is returned makes one unit of it one pixel of the page. */
function fitCanvas(sheet: HTMLCanvasElement, view: View): [number, number, number, number, number, number] {
  const ratio = window.devicePixelRatio;
  const width = Math.round(view.width * ratio);
  const height = Math.round(view.height * ratio);
  // Setting a size empties a canvas, even if it is the one that it has.
  if (sheet.width !== width || sheet.height !== height) {
    sheet.width = width;
    sheet.height = height;
    sheet.style.width = `${view.width}px`;
    sheet.style.height = `${view.height}px`;
  }
  return [ratio, 0, 0, ratio, 0, 0];
}

type Laid = Pick<Props, "layout" | "index">;

/** Pictures whose tiles are wanted: first those on show, then those below, then those above. */
function idsBySight({ layout, index }: Laid, { top, height }: View): number[] {
  const margin = height * MARGIN_SCREENS;
  const [from, to] = indicesBetween(layout, top, top + height);
  const [before, behind] = indicesBetween(layout, top - margin, top + height + margin);
  return [...index.idsBetween(from, to), ...index.idsBetween(to, behind), ...index.idsBetween(before, from)];
}

/** Pictures whose heatmaps are wanted: those on show. */
function wantedHeats({ layout, index }: Laid, { top, height }: View): Wanted[] {
  const [from, to] = indicesBetween(layout, top, top + height);
  const found: Wanted[] = [];
  for (let at = from; at < to; at++) {
    const id = index.idAt(at);
    if (id !== undefined) found.push({ id, labelled: index.classAt(at) });
  }
  return found;
}

/** True if every tile on show is there. */
function isWhole({ layout, index }: Laid, { top, height }: View, tiles: TileStore): boolean {
  const [from, to] = indicesBetween(layout, top, top + height);
  for (let at = from; at < to; at++) {
    const id = index.idAt(at);
    if (id === undefined || !tiles.get(id)) return false;
  }
  return true;
}
