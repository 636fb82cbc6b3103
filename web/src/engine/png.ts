/**
 * PNG files from their straight values: a canvas would multiply colours by their alpha and apply colour profiles, which
 * the application does not.
 */
import { type DecodedPng, decode } from "fast-png";
import { type Colour, evenRounded, type Picture, turned } from "./picture";

const SIGNATURE = [137, 80, 78, 71, 13, 10, 26, 10];
/** Where the first chunk begins, and what a chunk has beside its content: length, name and check sum. */
const FIRST = 8;
const AROUND = 12;
const ORIENTATION = 0x0112;
/** Where in the header the bits of a value stand, and whether rows are interlaced. */
const DEPTH = 24;
const INTERLACED = 28;

/** Whether a file is a PNG, and of a kind that is read here: not of few bits and interlaced. */
export function isPng(bytes: Uint8Array): boolean {
  const [depth = 0, interlaced] = [bytes[DEPTH], bytes[INTERLACED]];
  return SIGNATURE.every((value, at) => bytes[at] === value) && !(interlaced && depth < 8);
}

/** An upright RGB picture, what is transparent laid on `ground`. Throws where the file is damaged. */
export function readPng(bytes: Uint8Array, ground: Colour): Picture {
  const png = decode(bytes, { checkCrc: true });
  return turned(onGround(png, ground), orientationOf(bytes));
}

function onGround(png: DecodedPng, ground: Colour): Picture {
  const { width, height } = png;
  const pixel = pixelOf(png);
  const data = new Uint8Array(width * height * 3);
  for (let at = 0; at < width * height; at++) {
    const [red, green, blue, alpha] = pixel(at);
    data[at * 3] = over(red, alpha, ground[0]);
    data[at * 3 + 1] = over(green, alpha, ground[1]);
    data[at * 3 + 2] = over(blue, alpha, ground[2]);
  }
  return { width, height, channels: 3, data };
}

/** Straight values of four channels as an RGB picture, what is transparent laid on `ground`. */
export function laidOn(ground: Colour, values: ArrayLike<number>, width: number, height: number): Picture {
  const data = new Uint8Array(width * height * 3);
  for (let from = 0, to = 0; to < data.length; from += 4) {
    const alpha = values[from + 3] ?? 255;
    for (let c = 0; c < 3; c++) data[to++] = over(values[from + c] ?? 0, alpha, ground[c] ?? 0);
  }
  return { width, height, channels: 3, data };
}

/** A value of 0 to 255 laid on another: in whole numbers with 7 bits more, as the application's decoder does. */
export function over(value: number, alpha: number, below: number): number {
  if (alpha === 255) return value;
  if (alpha === 0) return below;
  const sum = (value * alpha + below * (255 - alpha)) * 128 + (0x80 << 7);
  return ((sum >> 8) + sum) >> 15;
}

type Pixel = readonly [number, number, number, number];

/** Gives the values of a place, whatever kind of PNG it is. */
function pixelOf(png: DecodedPng): (at: number) => Pixel {
  const { channels, depth, palette, transparency } = png;
  const value = depth < 8 ? packed(png) : (at: number) => png.data[at] as number;
  if (palette) {
    return (at) => {
      const [red = 0, green = 0, blue = 0, alpha = 255] = palette[value(at)] ?? [];
      return [red, green, blue, alpha];
    };
  }
  if (channels === 1 && depth === 16) {
    return (at) => {
      const grey = evenRounded((value(at) / 65535) * 255);
      return [grey, grey, grey, 255];
    };
  }
  // Of colours of 16 bits the upper eight; greys of fewer than eight spread over all of them.
  const eight = depth === 16 ? (at: number) => value(at) >> 8 : (at: number) => value(at) * SPREAD[depth];
  switch (channels) {
    case 1:
      return (at) => [eight(at), eight(at), eight(at), eight(at) === transparency?.[0] ? 0 : 255];
    case 2:
      return (at) => [eight(2 * at), eight(2 * at), eight(2 * at), eight(2 * at + 1)];
    case 3:
      return (at) => {
        const [red, green, blue] = [eight(3 * at), eight(3 * at + 1), eight(3 * at + 2)];
        const clear = red === transparency?.[0] && green === transparency[1] && blue === transparency[2];
        return [red, green, blue, clear ? 0 : 255];
      };
    default:
      return (at) => [eight(4 * at), eight(4 * at + 1), eight(4 * at + 2), eight(4 * at + 3)];
  }
}

/** By what a grey of so many bits becomes one of eight. */
const SPREAD = { 1: 255, 2: 85, 4: 17, 8: 1, 16: 1 } as const;

/** Values of fewer than eight bits, of which several lie in a byte; each row begins with one of its own. */
function packed({ data, width, depth }: DecodedPng): (at: number) => number {
  const row = Math.ceil((width * depth) / 8);
  const mask = 2 ** depth - 1;
  return (at) => {
    const bit = (at % width) * depth;
    const byte = data[Math.floor(at / width) * row + (bit >> 3)] ?? 0;
    return (byte >> (8 - depth - (bit & 7))) & mask;
  };
}

/** The orientation that the file's EXIF chunk says, else 1. */
function orientationOf(bytes: Uint8Array): number {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = FIRST; at + AROUND <= bytes.length; at += AROUND + view.getUint32(at)) {
    const name = String.fromCharCode(...bytes.subarray(at + 4, at + 8));
    if (name === "eXIf") {
      return exifOrientation(new DataView(bytes.buffer, bytes.byteOffset + at + 8, view.getUint32(at)));
    }
  }
  return 1;
}

/** Of a TIFF structure (TIFF 6.0, section 2), as EXIF data are one. */
function exifOrientation(view: DataView): number {
  try {
    const small = view.getUint16(0) === 0x4949;
    const start = view.getUint32(4, small);
    const count = view.getUint16(start, small);
    for (let at = start + 2; at < start + 2 + 12 * count; at += 12) {
      if (view.getUint16(at, small) === ORIENTATION) return view.getUint16(at + 8, small);
    }
  } catch {
    // Cut off: it says nothing, and the picture is taken as it lies.
  }
  return 1;
}
