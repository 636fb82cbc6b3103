/** A picture as numbers, as everything here takes and gives it. */

export interface Picture {
  readonly width: number;
  readonly height: number;
  /** 1 for grey, 3 for red, green and blue. */
  readonly channels: number;
  /** Row by row, 0 to 255. */
  readonly data: Uint8Array;
}

export type Colour = readonly [number, number, number];

/** Left, top, right and bottom, in pixels. */
export type Box = readonly [number, number, number, number];

export function filled(width: number, height: number, colour: readonly number[]): Picture {
  const channels = colour.length;
  const data = new Uint8Array(width * height * channels);
  for (let at = 0; at < data.length; at++) data[at] = colour[at % channels] ?? 0;
  return { width, height, channels, data };
}

export function cropped(picture: Picture, [left, top, right, bottom]: Box): Picture {
  const { width, channels } = picture;
  const across = (right - left) * channels;
  const data = new Uint8Array(across * (bottom - top));
  for (let row = top; row < bottom; row++) {
    const from = (row * width + left) * channels;
    data.set(picture.data.subarray(from, from + across), (row - top) * across);
  }
  return { width: right - left, height: bottom - top, channels, data };
}

/** Lays `picture` over a part of `below`, which is changed. */
export function lay(below: Picture, picture: Picture, left: number, top: number): void {
  const across = picture.width * picture.channels;
  for (let row = 0; row < picture.height; row++) {
    const line = picture.data.subarray(row * across, (row + 1) * across);
    below.data.set(line, ((top + row) * below.width + left) * below.channels);
  }
}

/** Luma of Recommendation BT.601 in 16 bits, rounded, as picture libraries have it. */
export function luma(red: number, green: number, blue: number): number {
  return (red * 19595 + green * 38470 + blue * 7471 + 0x8000) >> 16;
}

export function grey({ width, height, data }: Picture): Picture {
  const made = new Uint8Array(width * height);
  for (let at = 0; at < made.length; at++) {
    made[at] = luma(data[3 * at] ?? 0, data[3 * at + 1] ?? 0, data[3 * at + 2] ?? 0);
  }
  return { width, height, channels: 1, data: made };
}

/** Turned as an EXIF orientation of 1 to 8 says (Exif 2.3, section 4.6.4 A). */
export function turned(picture: Picture, orientation: number): Picture {
  const { width, height, channels, data } = picture;
  if (orientation < 2 || orientation > 8) return picture;
  const across = orientation >= 5;
  const wide = across ? height : width;
  const high = across ? width : height;
  const made = new Uint8Array(data.length);
  for (let row = 0; row < high; row++) {
    for (let column = 0; column < wide; column++) {
      const [x, y] = source(orientation, column, row, width, height);
      const from = (y * width + x) * channels;
      made.set(data.subarray(from, from + channels), (row * wide + column) * channels);
    }
  }
  return { width: wide, height: high, channels, data: made };
}

/** Where in the stored picture a pixel of the upright one lies. */
function source(orientation: number, x: number, y: number, width: number, height: number): [number, number] {
  const right = width - 1;
  const bottom = height - 1;
  switch (orientation) {
    case 2:
      return [right - x, y];
    case 3:
      return [right - x, bottom - y];
    case 4:
      return [x, bottom - y];
    case 5:
      return [y, x];
    case 6:
      return [y, bottom - x];
    case 7:
      return [right - y, bottom - x];
    default:
      return [right - y, x];
  }
}

/** A number of floating type as whole, halves to the even one. */
export function evenRounded(value: number): number {
  const below = Math.floor(value);
  const off = value - below;
  if (off !== 0.5) return off < 0.5 ? below : below + 1;
  return below % 2 === 0 ? below : below + 1;
}
