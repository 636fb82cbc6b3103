/** How a picture is enlarged: how many times, and where its middle lies from the middle of the window. */
export interface Zoom {
  readonly times: number;
  readonly x: number;
  readonly y: number;
}

export const WHOLE: Zoom = { times: 1, x: 0, y: 0 };
/** So many pixels of the screen for one of the picture are enough for anybody. */
const LARGEST_PIXEL = 64;
export const ZOOM_STEP = 1.5;

/**
 * Enlarged further about a point (from the middle of the window), which stays where it is.
 *
 * `fitting` are the pixels of the screen for one of the picture when the whole of it is seen.
 */
export function zoomed(
  zoom: Zoom,
  by: number,
  fitting: number,
  at: { readonly x: number; readonly y: number } = { x: 0, y: 0 },
): Zoom {
  const most = Math.max(1, LARGEST_PIXEL / fitting);
  const times = Math.min(most, Math.max(1, zoom.times * by));
  if (times === 1) return WHOLE;
  const part = times / zoom.times;
  return { times, x: at.x - (at.x - zoom.x) * part, y: at.y - (at.y - zoom.y) * part };
}

/** Moved, but not so far that nothing of a picture with these sides (as wholly seen) is left at the middle. */
export function moved(zoom: Zoom, dx: number, dy: number, width: number, height: number): Zoom {
  const within = (value: number, side: number) => {
    const most = (side * zoom.times) / 2;
    return Math.min(most, Math.max(-most, value));
  };
  return { ...zoom, x: within(zoom.x + dx, width), y: within(zoom.y + dy, height) };
}

/** "×12" or "×0.4": pixels of the screen for one of the picture. */
export function zoomWords(pixel: number): string {
  return `×${pixel >= 10 ? Math.round(pixel) : Number(pixel.toPrecision(2))}`;
}
