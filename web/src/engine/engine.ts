/** A model that answers by itself: from a picture to probabilities, with nothing but this text, its weights and a browser. */
import { keptBox } from "./area";
import { type Preprocessing, toNetworkSize, viewsOf } from "./before";
import { Network, type Step } from "./network";
import type { Box, Picture } from "./picture";
import { isPng, laidOn, readPng } from "./png";

export type { Picture };

export interface ModelFacts {
  readonly name: string;
  /** A sentence on what it is. */
  readonly about: string;
  readonly classes: readonly string[];
  readonly signs: readonly string[];
  readonly colours: readonly number[];
  readonly preprocessing: Preprocessing;
  readonly channel_statistics: { readonly mean: readonly number[]; readonly deviation: readonly number[] };
  readonly temperature: number;
  /** By class: below it an answer is "unsure"; null: always. None: never. */
  readonly unsure_below: readonly (number | null)[] | null;
  readonly digest: string;
  readonly steps: readonly Step[];
}

export interface Answer {
  readonly probabilities: readonly number[];
  /** The part that counted. */
  readonly kept: Box;
  readonly seconds: number;
}

export class Engine {
  private readonly network: Network;

  constructor(
    readonly model: ModelFacts,
    weights: Float32Array,
  ) {
    const { size, colour } = model.preprocessing;
    this.network = new Network(model.steps, [size, size, colour === "grey" ? 1 : 3], weights);
  }

  /** A PNG file, upright, on the model's ground. Throws where it is damaged. */
  read(bytes: Uint8Array): Picture {
    return readPng(bytes, this.model.preprocessing.ground);
  }

  isPng(bytes: Uint8Array): boolean {
    return isPng(bytes);
  }

  /** Straight values of four channels, the transparent ones laid on the model's ground. */
  laid(values: ArrayLike<number>, width: number, height: number): Picture {
    return laidOn(this.model.preprocessing.ground, values, width, height);
  }

  /** What the network sees of a picture. */
  seen(upright: Picture): Picture {
    return toNetworkSize(upright, this.model.preprocessing);
  }

  answer(upright: Picture): Answer {
    const began = performance.now();
    const { preprocessing, temperature, classes } = this.model;
    const views = viewsOf(this.seen(upright), preprocessing.views);
    const sums = classes.map(() => 0);
    for (const view of views) {
      softmax(this.network.run(this.standardised(view)), temperature).forEach((p, place) => {
        sums[place] = (sums[place] ?? 0) + p / views.length;
      });
    }
    const kept = keptBox(upright, preprocessing.area);
    return { probabilities: sums, kept, seconds: (performance.now() - began) / 1000 };
  }

  private standardised({ data, channels }: Picture): Float32Array {
    const { mean, deviation } = this.model.channel_statistics;
    return Float32Array.from(data, (value, at) => {
      const channel = at % channels;
      return (value - (mean[channel] ?? 0)) / (deviation[channel] ?? 1);
    });
  }
}

function softmax(logits: Float32Array, temperature: number): number[] {
  const most = Math.max(...logits);
  const powers = [...logits].map((logit) => Math.exp((logit - most) / temperature));
  const sum = powers.reduce((all, power) => all + power, 0);
  return powers.map((power) => power / sum);
}

/** Numbers of four bytes, little-endian, from a text in base 64. */
export function floatsFrom(text: string): Float32Array {
  const signs = atob(text.trim());
  const bytes = new Uint8Array(signs.length);
  for (let at = 0; at < signs.length; at++) bytes[at] = signs.charCodeAt(at);
  return new Float32Array(bytes.buffer);
}
