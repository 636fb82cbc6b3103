/** The drawing of a network: each layer a bar as wide as its maps are high, beside the paths that part from it and join. */
import { kindWords, type Line } from "./network";

export interface DrawnLayer {
  readonly place: number;
  readonly kind: string;
  readonly sources: readonly number[];
  readonly shape: readonly number[];
}

export interface DrawnLine {
  readonly line: readonly number[];
  readonly layers: readonly DrawnLayer[];
}

export interface Bar {
  readonly place: number;
  readonly line: Line;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly words: string;
}

export interface Drawing {
  readonly bars: readonly Bar[];
  /** Paths that leave the way down the middle, as SVG paths. */
  readonly ways: readonly { readonly key: string; readonly d: string }[];
  readonly width: number;
  readonly height: number;
}

const WIDTH = 244;
const MIDDLE = 88;
const WIDEST = 150;
const ASIDE = 62;
const GAP = 2;
const TALLEST = 560;
const LOWEST = 0.4;

/** Bars from above to below; as wide as the side of what comes out, as high as its channels, both to scale. */
export function drawNetwork(lines: readonly DrawnLine[], side: number): Drawing {
  const layers = lines
    .flatMap((entry) => entry.layers.map((layer) => ({ ...layer, line: entry.line })))
    .sort((one, two) => one.place - two.place);
  const deepest = Math.max(1, ...layers.map((layer) => layer.shape[layer.shape.length - 1] ?? 1));
  const heightOf = (layer: DrawnLayer) =>
    3 + 13 * Math.sqrt((layer.shape[layer.shape.length - 1] ?? 1) / deepest);
  // Lower bars where there are many, so that most networks are seen whole.
  const whole = layers.reduce((sum, layer) => sum + heightOf(layer) + GAP, 0);
  const scale = Math.max(LOWEST, Math.min(1, TALLEST / whole));
  const aside = new Set<number>();
  const bars: Bar[] = [];
  let y = 4;
  for (const layer of layers) {
    const joint = layer.sources.length > 1;
    const [source = 0] = layer.sources;
    if (!joint && (aside.has(source) || source !== layer.place - 1)) aside.add(layer.place);
    const maps = layer.shape.length === 3;
    const width = maps ? Math.max(3, ((layer.shape[0] ?? 1) / side) * WIDEST) : 3;
    const height = scale * heightOf(layer);
    const shown = aside.has(layer.place) ? Math.min(width, 40) : width;
    const x = MIDDLE + (aside.has(layer.place) ? WIDEST / 2 + ASIDE / 2 : 0) - shown / 2;
    const words = `${kindWords(layer.kind)} → ${layer.shape.join(" × ")}`;
    bars.push({ place: layer.place, line: layer.line, x, y, width: shown, height, words });
    y += height + scale * GAP;
  }
  const byPlace = new Map(bars.map((bar) => [bar.place, bar]));
  const ways = layers.flatMap((layer) =>
    layer.sources
      .filter((source) => source !== layer.place - 1 || (aside.has(source) && !aside.has(layer.place)))
      .map((source) => ({
        key: `${source}-${layer.place}`,
        d: way(byPlace.get(source), byPlace.get(layer.place)),
      })),
  );
  return { bars, ways, width: WIDTH, height: y + 4 };
}

/** Out at the side of what is read, down, and in at the side of what reads it. */
function way(from: Bar | undefined, to: Bar | undefined): string {
  if (!to) return "";
  if (from && from.x > to.x + to.width) {
    // Back to the middle from what stands beside it.
    const x = to.x + to.width;
    const [high, low] = [from.y + from.height, to.y + to.height / 2];
    const middle = from.x + from.width / 2;
    return `M${middle} ${high} C${middle} ${low} ${middle} ${low} ${x} ${low}`;
  }
  const startX = from ? from.x + from.width : MIDDLE;
  const startY = from ? from.y + from.height / 2 : 0;
  const endX = to.x + to.width;
  const endY = to.y + to.height / 2;
  const out = Math.max(startX, endX) + 10 + Math.min(24, (endY - startY) / 8);
  return `M${startX} ${startY} C${out} ${startY} ${out} ${endY} ${endX} ${endY}`;
}
