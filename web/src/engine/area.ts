/**
 * The part of a picture that counts: what is covered, and what stands out by itself. Every step is the application's, in
 * the same order and in the same arithmetic, so that both come to the same part.
 */
import { type Box, type Colour, cropped, evenRounded, type Picture } from "./picture";
import { MEAN, resized } from "./resize";

/** In fractions of the sides of the turned picture. */
export interface Area {
  readonly keep: readonly number[] | null;
  /** What stands out is kept, with so much of its own sides around it. */
  readonly margin: number | null;
  readonly covered: readonly (readonly (readonly number[])[])[];
  /** Null: the mean of what is left. */
  readonly fill: Colour | null;
}

/** The longer side of the reduced picture in which a part is looked for. */
const FOUND_SIDE = 96;
const BORDER_SHARE = 0.05;
const TRIMS = 4;
const TRIM_AT = 2.5;
const NOISE_AT = 3.5;
const LEAST_STEP = 4;
const GROWN_TO = 0.2;
const ALSO = 0.15;
const AT_EDGE = 0.35;

function pixelBox(keep: readonly number[], width: number, height: number): Box {
  const at = (place: number, side: number) => Math.trunc((keep[place] ?? 0) * side + 0.5);
  const left = Math.min(at(0, width), width - 1);
  const top = Math.min(at(1, height), height - 1);
  return [left, top, Math.max(at(2, width), left + 1), Math.max(at(3, height), top + 1)];
}

/** Which pixels of `box` have their centre in one of the polygons, by the even-odd rule. */
function coveredIn(covered: Area["covered"], width: number, height: number, box: Box): Uint8Array {
  const [left, top, right, bottom] = box;
  const across = right - left;
  const rows = bottom - top;
  const mask = new Uint8Array(across * rows);
  for (const polygon of covered) {
    const points = polygon.map(([x = 0, y = 0]) => [x * width - left - 0.5, y * height - top - 0.5] as const);
    const toggles = new Uint8Array((across + 1) * rows);
    points.forEach(([x0, y0], place) => {
      const [x1, y1] = points[(place + 1) % points.length] ?? [0, 0];
      if (y0 === y1) return;
      const last = Math.min(rows, Math.ceil(Math.max(y0, y1)));
      for (let row = Math.max(0, Math.ceil(Math.min(y0, y1))); row < last; row++) {
        const crossed = Math.ceil(x0 + (row - y0) * ((x1 - x0) / (y1 - y0)));
        const to = row * (across + 1) + Math.min(Math.max(crossed, 0), across);
        toggles[to] = (toggles[to] ?? 0) ^ 1;
      }
    });
    for (let row = 0; row < rows; row++) {
      let inside = 0;
      for (let column = 0; column < across; column++) {
        inside ^= toggles[row * (across + 1) + column] ?? 0;
        if (inside) mask[row * across + column] = 1;
      }
    }
  }
  return mask;
}

/** Left, top, right and bottom, in pixels, of the part of a picture that counts. */
export function keptBox(picture: Picture, area: Area | null | undefined): Box {
  const { width, height } = picture;
  let keep = area?.keep ?? null;
  if (area && area.margin !== null) {
    const found = standingOut(picture, area.covered);
    keep = found && widened(found, area.margin);
  }
  return pixelBox(keep ?? [0, 0, 1, 1], width, height);
}

/** The part that counts, with what is covered painted over. */
export function withinArea(picture: Picture, area: Area | null | undefined): Picture {
  if (!area) return picture;
  const { width, height } = picture;
  const box = keptBox(picture, area);
  const whole = box[0] === 0 && box[1] === 0 && box[2] === width && box[3] === height;
  if (whole && !area.covered.length) return picture;
  const part = cropped(picture, box);
  if (!area.covered.length) return part;
  const hidden = coveredIn(area.covered, width, height, box);
  const fill = area.fill ?? meanLeft(part, hidden);
  hidden.forEach((covered, at) => {
    if (covered) part.data.set(fill, at * 3);
  });
  return part;
}

/** The mean colour of what is not covered; black where nothing is left. */
function meanLeft({ data }: Picture, hidden: Uint8Array): Colour {
  const sums = [0, 0, 0];
  let count = 0;
  hidden.forEach((covered, at) => {
    if (covered) return;
    count++;
    for (let c = 0; c < 3; c++) sums[c] = (sums[c] ?? 0) + (data[at * 3 + c] ?? 0);
  });
  const mean = (sum = 0) => Math.floor((2 * sum + count) / (2 * Math.max(count, 1)));
  return [mean(sums[0]), mean(sums[1]), mean(sums[2])];
}

function widened([left, top, right, bottom]: readonly [number, number, number, number], margin: number) {
  const across = margin * (right - left);
  const down = margin * (bottom - top);
  return [
    Math.max(0, left - across),
    Math.max(0, top - down),
    Math.min(1, right + across),
    Math.min(1, bottom + down),
  ];
}

interface Part {
  box: [number, number, number, number];
  pixels: number;
  weight: number;
  most: number;
}

/** The box of what stands out from the ground, in fractions of the sides; null where nothing does. */
function standingOut(picture: Picture, covered: Area["covered"]): [number, number, number, number] | null {
  const scale = Math.min(1, FOUND_SIDE / Math.max(picture.width, picture.height));
  const width = Math.max(1, Math.trunc(picture.width * scale + 0.5));
  const height = Math.max(1, Math.trunc(picture.height * scale + 0.5));
  const { data } = resized(picture, width, height, MEAN);
  const hidden = coveredIn(covered, width, height, [0, 0, width, height]);
  const frame = Math.max(1, Math.trunc(BORDER_SHARE * Math.min(height, width) + 0.5));
  const border: number[] = [];
  for (let row = 0; row < height; row++) {
    for (let column = 0; column < width; column++) {
      const edge = Math.min(row, height - 1 - row) < frame || Math.min(column, width - 1 - column) < frame;
      if (edge && !hidden[row * width + column]) border.push(row * width + column);
    }
  }
  if (border.length < 8) return null;
  const { ground, noise } = groundOf(data, width, height, border);
  const away = distances(data, ground, width, height);
  hidden.forEach((one, at) => {
    if (one) away[at] = 0;
  });
  const seen = away.filter((_, at) => !hidden[at]);
  const seeds = Math.max(otsu(seen), NOISE_AT * noise, LEAST_STEP);
  const faint = Math.max(GROWN_TO * seeds, Math.min(NOISE_AT * noise, seeds), LEAST_STEP);
  const parts = partsOf(away, faint, width, height)
    .filter((part) => part.most > seeds)
    .map((part) => {
      const edge = part.box[0] === 0 || part.box[1] === 0 || part.box[2] === width || part.box[3] === height;
      return { ...part, edge, counts: part.weight * (edge ? AT_EDGE : 1) };
    })
    .sort((one, other) => other.counts - one.counts);
  const [main, ...others] = parts;
  if (!main) return null;
  let box = main.box;
  for (const part of others) {
    if (part.counts >= ALSO * main.counts && !part.edge) box = around(box, part.box);
  }
  return [box[0] / width, box[1] / height, box[2] / width, box[3] / height];
}

function around(one: Part["box"], other: Part["box"]): Part["box"] {
  return [
    Math.min(one[0], other[0]),
    Math.min(one[1], other[1]),
    Math.max(one[2], other[2]),
    Math.max(one[3], other[3]),
  ];
}

function median(values: Float64Array): number {
  const sorted = values.sort();
  const middle = sorted.length >> 1;
  const upper = sorted[middle] ?? 0;
  return sorted.length % 2 ? upper : ((sorted[middle - 1] ?? 0) + upper) / 2;
}

/** The ground's colour at every pixel, channel by channel, and how far it scatters about that. */
function groundOf(data: Uint8Array, width: number, height: number, border: readonly number[]) {
  let used = border;
  let ground: Float64Array[] = [];
  let noise = 0;
  for (let turn = 0; turn <= TRIMS; turn++) {
    ground = [0, 1, 2].map((c) =>
      turn
        ? plane(data, c, used, width, height)
        : new Float64Array(width * height).fill(
            median(Float64Array.from(border, (at) => data[at * 3 + c] ?? 0)),
          ),
    );
    const off = (at: number) =>
      Math.max(...[0, 1, 2].map((c) => Math.abs((data[at * 3 + c] ?? 0) - (ground[c]?.[at] ?? 0))));
    noise = 1.4826 * median(Float64Array.from(used, off));
    const most = Math.max(TRIM_AT * noise, 2);
    const kept = border.filter((at) => off(at) <= most);
    if (kept.length < 8) break;
    used = kept;
  }
  return { ground, noise };
}

/** a + b·row + c·column through the pixels in use, by least squares. */
function plane(data: Uint8Array, channel: number, used: readonly number[], width: number, height: number) {
  const n = used.length;
  let sr = 0;
  let sc = 0;
  let sv = 0;
  let srr = 0;
  let scc = 0;
  let src = 0;
  let srv = 0;
  let scv = 0;
  for (const at of used) {
    const r = Math.floor(at / width);
    const c = at % width;
    const v = data[at * 3 + channel] ?? 0;
    sr += r;
    sc += c;
    sv += v;
    srr += r * r;
    scc += c * c;
    src += r * c;
    srv += r * v;
    scv += c * v;
  }
  const rr = n * srr - sr * sr;
  const cc = n * scc - sc * sc;
  const rc = n * src - sr * sc;
  const rv = n * srv - sr * sv;
  const cv = n * scv - sc * sv;
  const by = rr * cc - rc * rc;
  const down = by > 0 ? (rv * cc - cv * rc) / by : 0;
  const across = by > 0 ? (cv * rr - rv * rc) / by : 0;
  const base = (sv - down * sr - across * sc) / n;
  const made = new Float64Array(width * height);
  for (let row = 0; row < height; row++) {
    for (let column = 0; column < width; column++) {
      made[row * width + column] = base + down * row + across * column;
    }
  }
  return made;
}

/** How far each pixel is from the ground in the channel where it is furthest, as the mean over three by three. */
function distances(data: Uint8Array, ground: readonly Float64Array[], width: number, height: number) {
  const away = new Float64Array(width * height);
  const down = new Float64Array(width);
  ground.forEach((plane, c) => {
    const off = (row: number, column: number) => {
      const at = Math.min(Math.max(row, 0), height - 1) * width + column;
      return (data[at * 3 + c] ?? 0) - (plane[at] ?? 0);
    };
    for (let row = 0; row < height; row++) {
      for (let column = 0; column < width; column++) {
        down[column] = off(row - 1, column) + off(row, column) + off(row + 1, column);
      }
      for (let column = 0; column < width; column++) {
        const left = down[Math.max(column - 1, 0)] ?? 0;
        const right = down[Math.min(column + 1, width - 1)] ?? 0;
        const mean = Math.abs((left + (down[column] ?? 0) + right) / 9);
        away[row * width + column] = Math.max(away[row * width + column] ?? 0, mean);
      }
    }
  });
  return away;
}

/** The threshold that parts values of 0 to 255 so that the means of both sides differ most. */
function otsu(values: Float64Array): number {
  const counts = new Float64Array(256);
  for (const value of values) {
    const bin = Math.trunc(Math.min(value, 255));
    counts[bin] = (counts[bin] ?? 0) + 1;
  }
  const whole = counts.reduce((sum, count, value) => sum + count * value, 0);
  let below = 0;
  let sum = 0;
  let best = 0;
  let most = 0;
  counts.forEach((count, value) => {
    below += count;
    sum += count * value;
    const above = values.length - below;
    if (below <= 0 || above <= 0) return;
    const step = sum / below - (whole - sum) / above;
    const apart = below * above * (step * step);
    if (apart > most) {
      most = apart;
      best = value;
    }
  });
  return best + 1;
}

/** Connected parts of what is further away than `faint`; corners connect too. */
function partsOf(away: Float64Array, faint: number, width: number, height: number): Part[] {
  const found: Part[] = [];
  const leads: number[] = [];
  const lead = (part: number): number => {
    let now = part;
    while (leads[now] !== now) now = leads[now] ?? now;
    return now;
  };
  let above: [number, number, number][] = [];
  for (let row = 0; row < height; row++) {
    const runs: [number, number, number][] = [];
    for (const [start, end] of runsOf(away, faint, row * width, width)) {
      const own = found.length;
      const values = away.subarray(row * width + start, row * width + end);
      leads.push(own);
      found.push({
        box: [start, row, end, row + 1],
        pixels: end - start,
        weight: values.reduce((sum, value) => sum + evenRounded(value), 0),
        most: values.reduce((most, value) => Math.max(most, value), 0),
      });
      for (const [first, last, part] of above) {
        if (first <= end && last >= start) join(found, leads, lead(part), lead(own));
      }
      runs.push([start, end, own]);
    }
    above = runs;
  }
  return found.filter((_, number) => leads[number] === number);
}

function runsOf(away: Float64Array, faint: number, from: number, width: number): [number, number][] {
  const runs: [number, number][] = [];
  let start = -1;
  for (let column = 0; column <= width; column++) {
    const inside = column < width && (away[from + column] ?? 0) > faint;
    if (inside && start < 0) start = column;
    if (!inside && start >= 0) {
      runs.push([start, column]);
      start = -1;
    }
  }
  return runs;
}

function join(found: Part[], leads: number[], one: number, other: number): void {
  const into = found[one];
  const gone = found[other];
  if (one === other || !into || !gone) return;
  leads[other] = one;
  into.box = around(into.box, gone.box);
  into.pixels += gone.pixels;
  into.weight += gone.weight;
  into.most = Math.max(into.most, gone.most);
}
