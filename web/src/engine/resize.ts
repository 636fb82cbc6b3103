/**
 * Resizing to the byte as the application does it: a filter as wide as the reduction, whose coefficients are whole numbers
 * of 22 bits, along the rows and along the columns, with 8 bits between both.
 */
import type { Box, Picture } from "./picture";

const BITS = 22;
const HALF = 2 ** (BITS - 1);

/** Half the width of a filter, and its weight at a distance from the middle. */
interface Filter {
  readonly support: number;
  readonly weight: (distance: number) => number;
}

/** A triangle: linear interpolation where nothing is made smaller. */
export const LINEAR: Filter = { support: 1, weight: (x) => Math.max(0, 1 - Math.abs(x)) };
/** The mean of what a pixel covers. */
export const MEAN: Filter = { support: 0.5, weight: (x) => (x > -0.5 && x <= 0.5 ? 1 : 0) };

/** For each place of the result, from where how many values are taken, and by which weights. */
interface Taps {
  readonly first: Int32Array;
  readonly count: Int32Array;
  readonly weights: Int32Array;
  readonly most: number;
}

function taps(length: number, from: number, to: number, made: number, filter: Filter): Taps {
  const step = (to - from) / made;
  const wide = Math.max(step, 1);
  const support = filter.support * wide;
  const most = Math.ceil(support) * 2 + 1;
  const first = new Int32Array(made);
  const count = new Int32Array(made);
  const weights = new Int32Array(made * most);
  const own = new Float64Array(most);
  const narrow = 1 / wide;
  for (let at = 0; at < made; at++) {
    const centre = from + (at + 0.5) * step;
    const low = Math.max(0, Math.trunc(centre - support + 0.5));
    const taken = Math.min(length, Math.trunc(centre + support + 0.5)) - low;
    let sum = 0;
    for (let n = 0; n < taken; n++) {
      own[n] = filter.weight((n + low - centre + 0.5) * narrow);
      sum += own[n] ?? 0;
    }
    for (let n = 0; n < taken; n++) {
      const share = sum ? (own[n] ?? 0) / sum : 0;
      weights[at * most + n] = Math.trunc(0.5 + share * 2 ** BITS);
    }
    first[at] = low;
    count[at] = taken;
  }
  return { first, count, weights, most };
}

/** `box` of a picture, or all of it, as `width` × `height` pixels. */
export function resized(picture: Picture, width: number, height: number, filter: Filter, box?: Box): Picture {
  const [left, top, right, bottom] = box ?? [0, 0, picture.width, picture.height];
  const across = taps(picture.width, left, right, width, filter);
  const down = taps(picture.height, top, bottom, height, filter);
  const sideways = width !== picture.width || left !== 0 || right !== picture.width;
  const upright = height !== picture.height || top !== 0 || bottom !== picture.height;
  // With 8 bits between both, their order shows in the last of them. This is the application's: where enough more is
  // left out of the height than of the width, the columns come first.
  const less = picture.height - height;
  if (sideways && upright && less > Math.max(0, 2 * (picture.width - width))) {
    return alongRows(alongColumns(picture, down, height), across, width);
  }
  const narrow = sideways ? alongRows(picture, across, width) : picture;
  return upright ? alongColumns(narrow, down, height) : narrow;
}

function alongRows(picture: Picture, by: Taps, made: number): Picture {
  const { channels, width, height, data } = picture;
  const out = new Uint8Array(height * made * channels);
  let to = 0;
  for (let row = 0; row < height; row++) {
    for (let at = 0; at < made; at++) {
      const from = (row * width + (by.first[at] ?? 0)) * channels;
      const taken = by.count[at] ?? 0;
      for (let channel = 0; channel < channels; channel++) {
        let sum = HALF;
        let place = from + channel;
        for (let n = 0, w = at * by.most; n < taken; n++, w++, place += channels) {
          sum += (data[place] as number) * (by.weights[w] as number);
        }
        out[to++] = sum >> BITS;
      }
    }
  }
  return { width: made, height, channels, data: out };
}

function alongColumns(picture: Picture, by: Taps, made: number): Picture {
  const { channels, width, data } = picture;
  const line = width * channels;
  const out = new Uint8Array(made * line);
  for (let at = 0; at < made; at++) {
    const from = (by.first[at] ?? 0) * line;
    const taken = by.count[at] ?? 0;
    for (let n = 0; n < line; n++) {
      let sum = HALF;
      for (let t = 0, w = at * by.most, place = from + n; t < taken; t++, w++, place += line) {
        sum += (data[place] as number) * (by.weights[w] as number);
      }
      out[at * line + n] = sum >> BITS;
    }
  }
  return { width, height: made, channels, data: out };
}
