/** The Run sheet's ingredients in words, and what they cost. */
import type { Network, Recipe, Setting, TrainingSettings } from "../api/client";
import { choiceWords } from "./trainingSettings";
import { plural } from "./words";

export const INPUT_SIZES = [32, 48, 64, 96] as const;

/** Ways to fit a picture into the square. */
export const FITS = ["distort", "border", "middle"] as const;

const FIT_WORDS: Record<string, string> = {
  distort: "distorted to the square",
  border: "whole, with a border",
  middle: "its middle",
};

/** On the sheet: which part of the pictures counts is said by the project, for whatever run begins. */
export function withoutArea(preprocessing: Recipe["preprocessing"]): Recipe["preprocessing"] {
  const { area: _, ...rest } = preprocessing;
  return rest;
}

export function preprocessingWords(preprocessing: Recipe["preprocessing"]): string {
  const { size, colour, fit, views } = preprocessing;
  const over: Record<string, string> = {
    one: "",
    mirrored: ", answers averaged with the mirror image",
    turned: ", answers averaged over four turns",
  };
  return `${size} × ${size} pixels, ${colour === "rgb" ? "colour" : "grey"}, ${FIT_WORDS[fit] ?? fit}${over[views] ?? ""}`;
}

export function scheduleWords(settings: Recipe["settings"]): string {
  return `${plural(settings.epochs, "epoch")} of batches of ${settings.batch_size}, rate ${settings.learning_rate}, seed ${settings.seed}`;
}

/** What differs from the usual rule of learning, or nothing. */
export function ruleWords(table: readonly Setting[], settings: TrainingSettings): string {
  return [
    choiceWords(table, "optimizer", settings.optimizer),
    `rate ${choiceWords(table, "schedule", settings.schedule)}`,
    settings.class_weights === "balanced" ? "classes count alike" : "",
    settings.class_draws === "balanced" ? "classes shown alike" : "",
    settings.label_smoothing ? `smoothed by ${settings.label_smoothing}` : "",
    settings.clip_norm ? `gradient at most ${settings.clip_norm}` : "",
  ]
    .filter(Boolean)
    .join(", ");
}

/** A large count in two or three digits: "7.4 M", "320 k". */
export function short(count: number): string {
  for (const [size, unit] of [
    [1e9, "G"],
    [1e6, "M"],
    [1e3, "k"],
  ] as const)
    if (count >= size) return `${Number((count / size).toPrecision(count / size < 100 ? 2 : 3))} ${unit}`;
  return String(count);
}

/** A network's name and size, the latter once it is known. */
export function networkLabel(name: string, network: { parameters: number } | undefined): string {
  return network ? `${name}, ${plural(network.parameters, "parameter")}` : name;
}

/** The learning rate as a path in a box of 100 by 40, highest on top; nothing where there is none. */
export function ratePath(rates: readonly number[]): string {
  const highest = Math.max(...rates);
  if (rates.length < 2 || !(highest > 0)) return "";
  const at = (rate: number, n: number) =>
    `${((100 * n) / (rates.length - 1)).toFixed(2)},${(40 - (38 * rate) / highest).toFixed(2)}`;
  return `M${rates.map(at).join("L")}`;
}

export function steps(training: number, settings: Recipe["settings"]): number {
  return Math.ceil(training / settings.batch_size) * settings.epochs;
}

/** Kinds of layers that make something of another size; the others would only lengthen the row. */
const DRAWN = new Set(["conv", "depthwise_conv", "max_pool", "average_pool", "dense"]);

/** Bars of the layer stack: width by the side of what comes out, height by its channels, both to scale. */
export function stackBars(
  network: { layers: Network["layers"] },
  size: number,
): { key: string; side: number; depth: number; words: string }[] {
  const deepest = Math.max(...network.layers.map((layer) => layer.shape[layer.shape.length - 1] ?? 1));
  return network.layers
    .filter((layer) => DRAWN.has(layer.kind))
    .map((layer) => {
      const depth = (layer.shape[layer.shape.length - 1] ?? 1) / deepest;
      const side = layer.shape.length === 3 ? (layer.shape[0] ?? 1) / size : 0.02;
      return {
        key: String(layer.place),
        side,
        depth,
        words: `${layer.kind.replaceAll("_", " ")} → ${layer.shape.join(" × ")}, ${plural(layer.parameters, "parameter")}`,
      };
    });
}
