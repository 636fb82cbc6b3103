/** A model's answer for one picture, ranked and in words. */
import { probability } from "./words";

export interface Ranked {
  readonly name: string;
  readonly place: number;
  readonly p: number;
}

export function ranked(names: readonly string[], probabilities: readonly number[]): Ranked[] {
  return names
    .map((name, place) => ({ name, place, p: probabilities[place] ?? 0 }))
    .sort((a, b) => b.p - a.p || a.place - b.place);
}

/** The sentence; under the threshold it names no class as the answer. */
export function answerSentence(
  order: readonly Ranked[],
  threshold: number,
): { unsure: boolean; text: string } {
  const [first, second] = order;
  if (!first) return { unsure: true, text: "no answer" };
  const next = second ? `; next ${second.name}, ${probability(second.p)}` : "";
  if (first.p < threshold) {
    return { unsure: true, text: `unsure: most like ${first.name}, ${probability(first.p)}${next}` };
  }
  return { unsure: false, text: `${first.name}, ${probability(first.p)}${next}` };
}
