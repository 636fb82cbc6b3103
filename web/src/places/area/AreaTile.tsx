/** One picture of the sheet: what counts of it is bright, the rest is dimmed; what is drawn on it is drawn on all. */
import { type PointerEvent, useState } from "react";
import type { AreaSample } from "../../api/client";
import { type Area, boxBetween, type Point } from "../../domain/area";
import { AreaOverlay } from "../../parts/AreaOverlay";
import type { AreaDraft } from "./useAreaDraft";

interface TileProps {
  picture: AreaSample;
  /** How large the picture may be drawn, in pixels. */
  room: readonly [number, number];
  area: Area;
  draft: AreaDraft | undefined;
  words: string;
}

/** A picture's size in the room. */
export function fitted(picture: AreaSample, room: readonly [number, number]): readonly [number, number] {
  const scale = Math.min(room[0] / picture.width, room[1] / picture.height);
  // Whole pixels: else the picture and what lies over it end on different ones.
  return [Math.max(8, Math.round(picture.width * scale)), Math.max(8, Math.round(picture.height * scale))];
}

export function AreaTile({ picture, room, area, draft, words }: TileProps) {
  const [width, height] = fitted(picture, room);
  const { drawn, ...handlers } = useDrawing(draft);
  return (
    <figure className="flex flex-col items-center" style={{ width: room[0] }} data-testid="area-tile">
      <div className="flex items-center justify-center" style={{ height: room[1] }}>
        <div
          className={`relative touch-none select-none ${draft ? "cursor-crosshair" : ""}`}
          style={{ width, height }}
          {...handlers}
        >
          <img
            src={`/api/originals/${picture.sha256}`}
            alt={`${picture.name}: ${words}`}
            draggable={false}
            loading="lazy"
            className="size-full"
          />
          <AreaOverlay area={area} part={draft?.part} open={draft?.open} drawn={drawn} />
        </div>
      </div>
      <figcaption className="w-full truncate text-center text-xs text-quiet" title={picture.name}>
        {words}
      </figcaption>
    </figure>
  );
}

function place(event: PointerEvent<HTMLElement>): Point {
  const box = event.currentTarget.getBoundingClientRect();
  const within = (value: number) => Math.min(1, Math.max(0, value));
  return [within((event.clientX - box.left) / box.width), within((event.clientY - box.top) / box.height)];
}

/** Dragging draws a box; of a shape each press is a corner, and a double click closes it. */
function useDrawing(draft: AreaDraft | undefined) {
  const [from, setFrom] = useState<Point>();
  const [to, setTo] = useState<Point>();
  if (!draft) return { drawn: undefined };
  const shape = draft.tool === "shape";
  const box = from && to && boxBetween(from, to);
  return {
    drawn: box && { box, keep: draft.tool === "keep" },
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      if (event.button !== 0) return;
      if (shape) return draft.addCorner(place(event));
      event.currentTarget.setPointerCapture(event.pointerId);
      setFrom(place(event));
      setTo(undefined);
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => from && setTo(place(event)),
    onPointerUp: () => {
      if (box) draft.drawBox(box);
      setFrom(undefined);
      setTo(undefined);
    },
    onPointerCancel: () => setFrom(undefined),
    onDoubleClick: () => shape && draft.closeShape(),
  };
}
