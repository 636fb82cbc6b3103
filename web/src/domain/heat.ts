/** A heatmap as pixels, and what it says in words. */
import type { Heatmap, Model } from "../api/client";
import { probability } from "./words";

/** From nothing over plum to quince: told apart by lightness alone. Red, green, blue at a heat from 0 to 1. */
const RAMP: readonly (readonly [number, number, number])[] = [
  [60, 10, 60],
  [150, 40, 120],
  [225, 120, 80],
  [250, 225, 110],
];

/** Where along the ramp, with what lies between two of its colours. */
export function heatColour(heat: number): [number, number, number] {
  const at = Math.min(1, Math.max(0, heat)) * (RAMP.length - 1);
  const below = Math.min(RAMP.length - 2, Math.floor(at));
  const part = at - below;
  const [from, to] = [RAMP[below] ?? [0, 0, 0], RAMP[below + 1] ?? [0, 0, 0]];
  return [0, 1, 2].map((n) => Math.round((from[n] ?? 0) * (1 - part) + (to[n] ?? 0) * part)) as [
    number,
    number,
    number,
  ];
}

/** Red, green, blue, opacity of each pixel: the hotter, the less of the picture shows through. */
export function heatPixels(found: Heatmap, strength: number): Uint8ClampedArray<ArrayBuffer> {
  const pixels = new Uint8ClampedArray(found.heat.length * 4);
  found.heat.forEach((value, place) => {
    const heat = value / 255;
    pixels.set([...heatColour(heat), 255 * strength * Math.sqrt(heat)], place * 4);
  });
  return pixels;
}

/** Where the map lies over its picture, in parts of the picture's sides. */
export function heatArea(found: Heatmap): { left: number; top: number; width: number; height: number } {
  const [left = 0, top = 0, right = 1, bottom = 1] = found.area;
  return { left, top, width: right - left, height: bottom - top };
}

/** Where the map lies over a square tile of a side, in whose middle the whole picture stands. */
export function heatOnTile(
  found: Heatmap,
  side: number,
): { left: number; top: number; width: number; height: number } {
  const scale = side / Math.max(found.width, found.height);
  const [width, height] = [found.width * scale, found.height * scale];
  const area = heatArea(found);
  return {
    left: (side - width) / 2 + area.left * width,
    top: (side - height) / 2 + area.top * height,
    width: area.width * width,
    height: area.height * height,
  };
}

export function heatWords(found: Heatmap, model: Model): string {
  const name = model.classes.find((entry) => entry.id === found.class_id)?.name ?? "";
  if (!found.heat.some((value) => value > 0)) {
    return found.way === "covering"
      ? `Covering no part of it makes ${name} less likely.`
      : `Nothing at this layer speaks for ${name}.`;
  }
  return found.way === "covering"
    ? `Bright: covered, ${name} (${probability(found.p)}) becomes less likely.`
    : `Bright: what speaks for ${name} (${probability(found.p)}).`;
}
