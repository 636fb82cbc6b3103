/** What the layers did, as shades and bands: a figure of every layer over the epochs. */
import { area, line } from "d3-shape";
import type { Layers } from "../api/client";

export const LAYER_FIGURES: readonly {
  readonly figure: string;
  readonly words: string;
  readonly share: boolean;
}[] = [
  { figure: "update", words: "update over weight", share: false },
  { figure: "weight", words: "weights, root mean square", share: false },
  { figure: "gradient", words: "gradients, root mean square", share: false },
  { figure: "deviation", words: "deviation of the values", share: false },
  { figure: "mean", words: "mean of the values", share: false },
  { figure: "zeros", words: "share of zeros", share: true },
  { figure: "asleep", words: "share of units asleep", share: true },
  { figure: "pinned", words: "share of pinned values", share: true },
];

type Cell = Layers["epochs"][number]["layers"][number];

export function cellValue(cell: Cell, figure: string): number | null {
  const value = cell?.[figure];
  return typeof value === "number" ? value : null;
}

/** Figures that at least one layer has. */
export function figuresOf(layers: Layers): typeof LAYER_FIGURES {
  return LAYER_FIGURES.filter(({ figure }) =>
    layers.epochs.some((epoch) => epoch.layers.some((cell) => cellValue(cell, figure) !== null)),
  );
}

/** From 0 to 1: shares as they are, other figures by their size on a logarithmic scale over all that is shown. */
export function shading(layers: Layers, figure: string): (cell: Cell) => number | null {
  if (LAYER_FIGURES.find((entry) => entry.figure === figure)?.share) return (cell) => cellValue(cell, figure);
  const sizes = layers.epochs
    .flatMap((epoch) => epoch.layers.map((cell) => Math.abs(cellValue(cell, figure) ?? 0)))
    .filter((value) => value > 0);
  const [low, high] = [Math.log(Math.min(...sizes)), Math.log(Math.max(...sizes))];
  return (cell) => {
    const value = cellValue(cell, figure);
    if (value === null) return null;
    if (value === 0) return 0;
    // The smallest is not nothing.
    return high > low ? 0.08 + (0.92 * (Math.log(Math.abs(value)) - low)) / (high - low) : 1;
  };
}

export interface Bands {
  /** From the outermost to the median. */
  readonly areas: readonly string[];
  readonly middle: string;
  readonly low: number;
  readonly high: number;
}

/** The quantiles of one layer over the epochs within a box; undefined where none were recorded. */
export function bandsOf(
  layers: Layers,
  place: number,
  of: "bands" | "weight_bands",
  width: number,
  height: number,
): Bands | undefined {
  const known = layers.epochs.flatMap((epoch) => {
    const bands = epoch.layers[place]?.[of];
    return Array.isArray(bands) ? [{ number: epoch.number, bands: bands as number[] }] : [];
  });
  if (!known.length) return undefined;
  const all = known.flatMap((entry) => entry.bands);
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const last = known[known.length - 1]?.number ?? 1;
  const x = (number: number) => (last > 1 ? ((number - 1) / (last - 1)) * width : 0);
  const y = (value: number) => height - ((value - low) / (high - low || 1)) * height;
  const between = (from: number, to: number) =>
    area<(typeof known)[number]>()
      .x((entry) => x(entry.number))
      .y0((entry) => y(entry.bands[from] ?? 0))
      .y1((entry) => y(entry.bands[to] ?? 0))(known) ?? "";
  const count = layers.bands.length;
  const pairs = Array.from({ length: Math.floor(count / 2) }, (_, outer) =>
    between(outer, count - 1 - outer),
  );
  const middle =
    line<(typeof known)[number]>()
      .x((entry) => x(entry.number))
      .y((entry) => y(entry.bands[Math.floor(count / 2)] ?? 0))(known) ?? "";
  return { areas: pairs, middle, low, high };
}

/** A figure as it is read. */
export function figureWords(value: number): string {
  return String(Number(value.toPrecision(3)));
}
