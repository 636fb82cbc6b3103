/** The picture of a Close-up: wholly in sight first, then down to its pixels by the wheel, and moved by dragging. */
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { PictureDetail } from "../../api/client";
import { moved, WHOLE, ZOOM_STEP, type Zoom, zoomed, zoomWords } from "../../domain/zoom";

const WINDOW = 520;
const ROOM = 500;
const SMALL = 480;

/** The enlargement of the picture on show; another one begins whole again. */
export function useZoom(picture: PictureDetail["picture"] | undefined) {
  const [zoom, setZoom] = useState(WHOLE);
  const id = picture?.id;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another picture begins anew
  useEffect(() => setZoom(WHOLE), [id]);
  const { width = 1, height = 1 } = picture ?? {};
  // Small pictures are enlarged by whole steps, so that their pixels stay square.
  const whole = Math.max(1, Math.floor(SMALL / Math.max(width, height)));
  const fitting = Math.min(whole, ROOM / width, ROOM / height);
  return {
    zoom,
    setZoom,
    fitting,
    step: (by: 1 | -1) => setZoom((now) => zoomed(now, by > 0 ? ZOOM_STEP : 1 / ZOOM_STEP, fitting)),
  };
}

export type ZoomOf = ReturnType<typeof useZoom>;

interface Props {
  picture: PictureDetail["picture"];
  of: ZoomOf;
  /** Lies over the picture and goes with it. */
  over: ReactNode;
}

export function Enlarged({ picture, of, over }: Props) {
  const { zoom, setZoom, fitting } = of;
  const place = useRef<HTMLDivElement>(null);
  const image = useRef<HTMLImageElement>(null);
  const [under, setUnder] = useState<string>();
  const width = picture.width * fitting;
  const height = picture.height * fitting;
  useWheel(place, setZoom, fitting);
  const pixel = fitting * zoom.times;
  return (
    <div
      ref={place}
      role="group"
      aria-label="The picture, enlarged"
      data-testid="enlarged"
      data-times={zoom.times.toFixed(2)}
      title="Wheel, + and − enlarge; drag to move; double click for the whole"
      className={`relative flex items-center justify-center overflow-hidden bg-sunken ${zoom.times > 1 ? "cursor-grab" : ""}`}
      style={{ width: WINDOW, height: WINDOW }}
      onDoubleClick={() => setZoom(WHOLE)}
      onPointerDown={(event) => zoom.times > 1 && event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => {
        if (event.buttons && event.currentTarget.hasPointerCapture(event.pointerId))
          setZoom((now) => moved(now, event.movementX, event.movementY, width, height));
        setUnder(pixelWords(image.current, event.clientX, event.clientY));
      }}
      onPointerLeave={() => setUnder(undefined)}
    >
      <div
        className="relative"
        style={{ width, height, transform: `translate(${zoom.x}px, ${zoom.y}px) scale(${zoom.times})` }}
      >
        <img
          ref={image}
          src={`/api/originals/${picture.sha256}`}
          alt={picture.name}
          draggable={false}
          className="size-full"
          style={{ imageRendering: pixel > 1 ? "pixelated" : "auto" }}
        />
        {over}
      </div>
      <p className="pointer-events-none absolute bottom-0 left-0 bg-surface/85 px-1.5 font-mono text-xs">
        {zoomWords(pixel)}
        {under && `  ${under}`}
      </p>
    </div>
  );
}

/** By the wheel about the pointer. React listens to it without being able to keep the page from scrolling. */
function useWheel(
  place: React.RefObject<HTMLDivElement | null>,
  setZoom: (next: (now: Zoom) => Zoom) => void,
  fitting: number,
): void {
  useEffect(() => {
    const element = place.current;
    if (!element) return;
    const turn = (event: WheelEvent) => {
      event.preventDefault();
      const box = element.getBoundingClientRect();
      const at = {
        x: event.clientX - box.left - box.width / 2,
        y: event.clientY - box.top - box.height / 2,
      };
      setZoom((now) => zoomed(now, event.deltaY < 0 ? ZOOM_STEP : 1 / ZOOM_STEP, fitting, at));
    };
    element.addEventListener("wheel", turn, { passive: false });
    return () => element.removeEventListener("wheel", turn);
  }, [place, setZoom, fitting]);
}

/** Column, row and value of the pixel under the pointer. */
function pixelWords(image: HTMLImageElement | null, x: number, y: number): string | undefined {
  if (!image?.complete || !image.naturalWidth) return undefined;
  const box = image.getBoundingClientRect();
  const column = Math.floor(((x - box.left) / box.width) * image.naturalWidth);
  const row = Math.floor(((y - box.top) / box.height) * image.naturalHeight);
  if (column < 0 || row < 0 || column >= image.naturalWidth || row >= image.naturalHeight) return undefined;
  const on = new OffscreenCanvas(1, 1).getContext("2d");
  on?.drawImage(image, column, row, 1, 1, 0, 0, 1, 1);
  const [red, green, blue] = on?.getImageData(0, 0, 1, 1).data ?? [];
  return `${column}, ${row}: ${red} ${green} ${blue}`;
}
