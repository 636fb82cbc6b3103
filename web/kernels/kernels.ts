/**
 * The network's arithmetic: AssemblyScript, compiled to WebAssembly with vectors of 128 bits, of which four floats are
 * one. Maps are (height, width, channels), float32, at addresses that the caller hands out from `heapStart` on.
 */

// Eight channels are computed at a time, which is two vectors.
const EIGHT: i32 = 8;
const EIGHT_BYTES: usize = 32;
const FLOAT: usize = 4;

/** Where a block of eight lies that does not fit behind its pixel as a whole. */
const aside: usize = memory.data(32, 16);

/** The first address that is free. */
export function heapStart(): usize {
  return __heap_base;
}

/** A map with zeros around it. */
export function pad(x: usize, h: i32, w: i32, c: i32, y: usize, top: i32, bottom: i32, left: i32, right: i32): void {
  const row = <usize>(w * c) * FLOAT;
  const wide = <usize>((left + w + right) * c) * FLOAT;
  memory.fill(y, 0, wide * <usize>(top + h + bottom));
  let to = y + wide * <usize>top + <usize>(left * c) * FLOAT;
  for (let i = 0; i < h; i++) {
    memory.copy(to, x, row);
    to += wide;
    x += row;
  }
}

// @ts-ignore: decorator
@inline
function bent(v: v128, slope: f32): v128 {
  return slope == 1 ? v : f32x4.max(v, f32x4.mul(v, f32x4.splat(slope)));
}

/** Eight channels of a pixel, or as many as are left of it. */
function put(y: usize, low: v128, high: v128, left: i32, slope: f32): void {
  const to = left < EIGHT ? aside : y;
  v128.store(to, bent(low, slope));
  v128.store(to, bent(high, slope), 16);
  if (left < EIGHT) memory.copy(y, aside, <usize>left * FLOAT);
}

/**
 * Convolution of a map that has its zeros around it, and a dense layer, which is one of a single pixel.
 *
 * Weights are in blocks of eight channels out, zeros where there are fewer: (groups, blocks, side, side, channels in of a
 * group, 8); so is the bias. `xw`, `xc` are of the padded map, `yh`, `yw`, `yc` of what is made. A leaky ReLU of `slope`
 * comes behind it, of 1 none.
 */
export function conv(
  x: usize, xw: i32, xc: i32,
  y: usize, yh: i32, yw: i32, yc: i32,
  weights: usize, bias: usize,
  side: i32, stride: i32, dilation: i32, groups: i32, slope: f32,
): void {
  const channels = xc / groups;
  const made = yc / groups;
  const blocks = (made + EIGHT - 1) / EIGHT;
  const count = yh * yw;
  const pixel = <usize>xc * FLOAT;
  const row = <usize>xw * pixel;
  // A row of the window lies in one piece where nothing is left out between its values.
  const whole = dilation == 1 && groups == 1;
  const pieces = whole ? 1 : side;
  const length = whole ? side * channels : channels;
  for (let g = 0; g < groups; g++) {
    const from = x + <usize>(g * channels) * FLOAT;
    for (let block = 0; block < blocks; block++) {
      const own = weights + <usize>((g * blocks + block) * side * side * channels) * EIGHT_BYTES;
      const own_bias = bias + <usize>(g * blocks + block) * EIGHT_BYTES;
      const bias0 = v128.load(own_bias);
      const bias1 = v128.load(own_bias, 16);
      const first = g * made + block * EIGHT;
      const left = made - block * EIGHT;
      // Four pixels at a time, so that a weight that was read is used four times. At the end the last one is taken again.
      for (let n = 0; n < count; n += 4) {
        const n1 = min(n + 1, count - 1), n2 = min(n + 2, count - 1), n3 = min(n + 3, count - 1);
        const a0 = from + <usize>(n / yw * stride) * row + <usize>(n % yw * stride) * pixel;
        const d1 = from + <usize>(n1 / yw * stride) * row + <usize>(n1 % yw * stride) * pixel - a0;
        const d2 = from + <usize>(n2 / yw * stride) * row + <usize>(n2 % yw * stride) * pixel - a0;
        const d3 = from + <usize>(n3 / yw * stride) * row + <usize>(n3 % yw * stride) * pixel - a0;
        let s00 = bias0, s01 = bias1, s10 = bias0, s11 = bias1, s20 = bias0, s21 = bias1, s30 = bias0, s31 = bias1;
        let k = own;
        for (let down = 0; down < side; down++) {
          for (let piece = 0; piece < pieces; piece++) {
            let a = a0 + <usize>(down * dilation) * row + <usize>(piece * dilation) * pixel;
            const end = a + <usize>length * FLOAT;
            while (a < end) {
              const k0 = v128.load(k), k1 = v128.load(k, 16);
              const v0 = v128.load32_splat(a);
              s00 = f32x4.add(s00, f32x4.mul(v0, k0));
              s01 = f32x4.add(s01, f32x4.mul(v0, k1));
              const v1 = v128.load32_splat(a + d1);
              s10 = f32x4.add(s10, f32x4.mul(v1, k0));
              s11 = f32x4.add(s11, f32x4.mul(v1, k1));
              const v2 = v128.load32_splat(a + d2);
              s20 = f32x4.add(s20, f32x4.mul(v2, k0));
              s21 = f32x4.add(s21, f32x4.mul(v2, k1));
              const v3 = v128.load32_splat(a + d3);
              s30 = f32x4.add(s30, f32x4.mul(v3, k0));
              s31 = f32x4.add(s31, f32x4.mul(v3, k1));
              a += FLOAT;
              k += EIGHT_BYTES;
            }
          }
        }
        const to = y + <usize>(n * yc + first) * FLOAT;
        const next = <usize>yc * FLOAT;
        put(to, s00, s01, left, slope);
        if (n + 1 < count) put(to + next, s10, s11, left, slope);
        if (n + 2 < count) put(to + 2 * next, s20, s21, left, slope);
        if (n + 3 < count) put(to + 3 * next, s30, s31, left, slope);
      }
    }
  }
}

/** Convolution of each channel by itself, of a padded map; weights are (side, side, channels). */
export function depthwise(
  x: usize, xw: i32, c: i32,
  y: usize, yh: i32, yw: i32,
  weights: usize, bias: usize,
  side: i32, stride: i32, dilation: i32, slope: f32,
): void {
  const pixel = <usize>c * FLOAT;
  const row = <usize>xw * pixel;
  for (let i = 0; i < yh; i++) {
    for (let j = 0; j < yw; j++) {
      const a = x + <usize>(i * stride) * row + <usize>(j * stride) * pixel;
      let n: usize = 0;
      for (; n + 16 <= pixel; n += 16) {
        let sum = v128.load(bias + n);
        for (let down = 0; down < side; down++) {
          for (let across = 0; across < side; across++) {
            const from = a + <usize>(down * dilation) * row + <usize>(across * dilation) * pixel + n;
            sum = f32x4.add(sum, f32x4.mul(v128.load(from), v128.load(weights + <usize>(down * side + across) * pixel + n)));
          }
        }
        v128.store(y + n, bent(sum, slope));
      }
      for (; n < pixel; n += FLOAT) {
        let sum = load<f32>(bias + n);
        for (let down = 0; down < side; down++) {
          for (let across = 0; across < side; across++) {
            const from = a + <usize>(down * dilation) * row + <usize>(across * dilation) * pixel + n;
            sum += load<f32>(from) * load<f32>(weights + <usize>(down * side + across) * pixel + n);
          }
        }
        store<f32>(y + n, slope == 1 ? sum : max(sum, sum * slope));
      }
      y += pixel;
    }
  }
}

function addTo(y: usize, x: usize, bytes: usize): void {
  let n: usize = 0;
  for (; n + 16 <= bytes; n += 16) v128.store(y + n, f32x4.add(v128.load(y + n), v128.load(x + n)));
  for (; n < bytes; n += FLOAT) store<f32>(y + n, load<f32>(y + n) + load<f32>(x + n));
}

function largerTo(y: usize, x: usize, bytes: usize): void {
  let n: usize = 0;
  for (; n + 16 <= bytes; n += 16) v128.store(y + n, f32x4.max(v128.load(y + n), v128.load(x + n)));
  for (; n < bytes; n += FLOAT) store<f32>(y + n, max(load<f32>(y + n), load<f32>(x + n)));
}

/** The largest value or the mean of each window; what lies beyond the map does not count. */
export function pool(
  x: usize, h: i32, w: i32, c: i32,
  y: usize, yh: i32, yw: i32,
  side: i32, stride: i32, top: i32, left: i32, mean: bool,
): void {
  const pixel = <usize>c * FLOAT;
  for (let i = 0; i < yh; i++) {
    for (let j = 0; j < yw; j++) {
      const up = max(0, i * stride - top), down = min(h, i * stride - top + side);
      const west = max(0, j * stride - left), east = min(w, j * stride - left + side);
      for (let r = up; r < down; r++) {
        for (let q = west; q < east; q++) {
          const from = x + <usize>(r * w + q) * pixel;
          if (r == up && q == west) memory.copy(y, from, pixel);
          else if (mean) addTo(y, from, pixel);
          else largerTo(y, from, pixel);
        }
      }
      if (mean) scale(y, c, 1 / <f32>((down - up) * (east - west)));
      y += pixel;
    }
  }
}

function scale(y: usize, count: i32, by: f32): void {
  for (let n = 0; n < count; n++) store<f32>(y + <usize>n * FLOAT, load<f32>(y + <usize>n * FLOAT) * by);
}

/** y + x, in the place of y. */
export function add(y: usize, x: usize, count: i32): void {
  addTo(y, x, <usize>count * FLOAT);
}

/** y · x, in the place of y; x has `every` values, which are taken again and again. */
export function multiply(y: usize, x: usize, count: i32, every: i32): void {
  for (let start = 0; start < count; start += every) {
    for (let n = 0; n < every; n++) {
      const to = y + <usize>(start + n) * FLOAT;
      store<f32>(to, load<f32>(to) * load<f32>(x + <usize>n * FLOAT));
    }
  }
}

/** Each channel times a number and plus another, in its place, with a leaky ReLU of `slope` behind it. */
export function norm(y: usize, count: i32, c: i32, times: usize, plus: usize, slope: f32): void {
  for (let start = 0; start < count; start += c) {
    for (let n = 0; n < c; n++) {
      const to = y + <usize>(start + n) * FLOAT;
      const v = load<f32>(to) * load<f32>(times + <usize>n * FLOAT) + load<f32>(plus + <usize>n * FLOAT);
      store<f32>(to, slope == 1 ? v : max(v, v * slope));
    }
  }
}

/** The channels of one of several maps into all of them: from `first` on, of `all`. */
export function beside(x: usize, pixels: i32, c: i32, y: usize, first: i32, all: i32): void {
  for (let n = 0; n < pixels; n++) {
    memory.copy(y + <usize>(n * all + first) * FLOAT, x + <usize>(n * c) * FLOAT, <usize>c * FLOAT);
  }
}

// Kinds of `bend`.
const LEAKY: i32 = 0;
const CLIPPED: i32 = 1;
const SILU: i32 = 2;
const TANH: i32 = 3;
const SIGMOID: i32 = 4;
const HARD_SIGMOID: i32 = 5;
const HARD_SWISH: i32 = 6;

function sigmoid(v: f32): f32 {
  return 1 / (1 + Mathf.exp(-v));
}

function hard(v: f32): f32 {
  return min(max(v * (<f32>1 / 6) + 0.5, 0), 1);
}

function bend(kind: i32, v: f32, by: f32): f32 {
  switch (kind) {
    case LEAKY:
      return max(v, v * by);
    case CLIPPED:
      return min(max(v, 0), by);
    case SILU:
      return v * sigmoid(v);
    case TANH:
      return Mathf.tanh(v);
    case SIGMOID:
      return sigmoid(v);
    case HARD_SIGMOID:
      return hard(v);
    case HARD_SWISH:
      return v * hard(v);
    default:
      return unreachable();
  }
}

/** Each value bent, in its place. */
export function activate(y: usize, count: i32, kind: i32, by: f32): void {
  const end = y + <usize>count * FLOAT;
  for (; y < end; y += FLOAT) store<f32>(y, bend(kind, load<f32>(y), by));
}
