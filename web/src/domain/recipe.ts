/** The Run sheet's ingredients in words, and what they cost. */
import type { Network, Recipe } from "../api/client";
import { plural } from "./words";

export const INPUT_SIZES = [32, 48, 64, 96] as const;

/** How far a picture may be turned, by the question that it answers. */
export const TURNS = [
  { value: 0, label: "no", title: "Not turned" },
  { value: 15, label: "slightly", title: "Turned by up to 15 degrees" },
  { value: 180, label: "any angle", title: "Turned by any angle" },
] as const;

export const BRIGHTNESS = 0.2;

export function variationWords(variation: Recipe["variation"]): string {
  const parts = [
    variation.mirror ? "mirrored" : "",
    variation.turn_degrees
      ? variation.turn_degrees >= 180
        ? "turned by any angle"
        : `turned by ±${variation.turn_degrees}°`
      : "",
    variation.brightness ? `brightness ±${Math.round(variation.brightness * 100)} %` : "",
  ].filter(Boolean);
  return parts.length ? parts.join(", ") : "none";
}

export function scheduleWords(settings: Recipe["settings"]): string {
  return `${plural(settings.epochs, "epoch")} of batches of ${settings.batch_size}, rate ${settings.learning_rate}, seed ${settings.seed}`;
}

export function steps(training: number, settings: Recipe["settings"]): number {
  return Math.ceil(training / settings.batch_size) * settings.epochs;
}

/** Bars of the layer stack: width by the side of what comes out, height by its channels, both to scale. */
export function stackBars(
  network: Network,
  size: number,
): { key: string; side: number; depth: number; words: string }[] {
  const deepest = Math.max(...network.layers.map((layer) => layer.shape[layer.shape.length - 1] ?? 1));
  return network.layers
    .filter((layer) => layer.kind === "conv2d" || layer.kind === "max_pool" || layer.kind === "dense")
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
