/** The number that pictures are ordered by, as a tile shows it. */
import { bytes, probability } from "./words";

const WORDS: Record<string, (value: number) => string> = {
  loss: (value) => `loss ${value.toFixed(2)}`,
  p: (value) => `p ${probability(value)}`,
  size: bytes,
  side: (value) => `${value} px`,
  brightness: (value) => `light ${value.toFixed(2)}`,
  like: (value) => `${value.toFixed(2)} apart`,
};

/** Undefined where there is nothing to show. */
export function figureWords(figure: string | undefined, value: number | undefined): string | undefined {
  return figure && value !== undefined ? WORDS[figure]?.(value) : undefined;
}
