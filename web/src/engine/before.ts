/** From an upright picture to what the network sees: area, colour, fit and size, as the application does it. */
import { type Area, withinArea } from "./area";
import { type Colour, evenRounded, filled, grey, lay, luma, type Picture } from "./picture";
import { LINEAR, resized } from "./resize";

export interface Preprocessing {
  readonly size: number;
  readonly fit: "distort" | "border" | "middle";
  readonly colour: "rgb" | "grey";
  readonly ground: Colour;
  readonly border: Colour;
  readonly views: "one" | "mirrored" | "turned";
  readonly area?: Area | null;
}

export function toNetworkSize(upright: Picture, before: Preprocessing): Picture {
  const { size } = before;
  const part = withinArea(upright, before.area);
  const picture = before.colour === "grey" ? grey(part) : part;
  const { width, height } = picture;
  if (before.fit === "middle") {
    const square = Math.min(width, height);
    const left = Math.floor((width - square) / 2);
    const top = Math.floor((height - square) / 2);
    return resized(picture, size, size, LINEAR, [left, top, left + square, top + square]);
  }
  if (before.fit === "border") {
    const scale = size / Math.max(width, height);
    const across = Math.max(1, evenRounded(width * scale));
    const down = Math.max(1, evenRounded(height * scale));
    const whole = filled(size, size, before.colour === "grey" ? [luma(...before.border)] : before.border);
    const inner = resized(picture, across, down, LINEAR);
    lay(whole, inner, Math.floor((size - across) / 2), Math.floor((size - down) / 2));
    return whole;
  }
  return resized(picture, size, size, LINEAR);
}

/** A square picture in every way over which an answer is averaged. */
export function viewsOf(picture: Picture, views: Preprocessing["views"]): Picture[] {
  if (views === "mirrored") return [picture, placed(picture, (row, column, last) => [row, last - column])];
  if (views !== "turned") return [picture];
  const quarters = [picture];
  // Against the clock: what was the last column becomes the first row.
  while (quarters.length < 4) {
    quarters.push(
      placed(quarters[quarters.length - 1] as Picture, (row, column, last) => [column, last - row]),
    );
  }
  return quarters;
}

type From = (row: number, column: number, last: number) => [number, number];

function placed(picture: Picture, from: From): Picture {
  const { width: side, channels, data } = picture;
  const made = new Uint8Array(data.length);
  for (let row = 0; row < side; row++) {
    for (let column = 0; column < side; column++) {
      const [y, x] = from(row, column, side - 1);
      const at = (y * side + x) * channels;
      made.set(data.subarray(at, at + channels), (row * side + column) * channels);
    }
  }
  return { ...picture, data: made };
}
