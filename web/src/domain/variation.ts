/** A variation in words and numbers: what it is made of, how it is changed, what two of them have in common. */
import type { Operation, OperationKind, Variation } from "../api/client";

export const FAMILIES = ["geometry", "light and colour", "damage", "mixing"] as const;

/** The operation as it starts when it is switched on. */
export function started(kind: OperationKind): Operation {
  return { kind: kind.name, probability: kind.probability, low: kind.low, high: kind.high };
}

/** With an operation changed, or switched on at its place; `undefined` switches it off. */
export function withOperation(
  variation: Variation,
  kind: string,
  operation: Operation | undefined,
): Variation {
  const there = variation.operations.some((entry) => entry.kind === kind);
  const operations = there
    ? variation.operations.flatMap((entry) => (entry.kind !== kind ? [entry] : operation ? [operation] : []))
    : operation
      ? [...variation.operations, operation]
      : variation.operations;
  // No more can be drawn than are there.
  return { ...variation, operations, drawn: Math.min(variation.drawn ?? 0, drawable(operations)) };
}

const MIXING = new Set(["blend", "paste"]);

/** How many operations an automatic choice has to choose from. */
export function drawable(operations: readonly Operation[]): number {
  return operations.filter((entry) => !MIXING.has(entry.kind)).length;
}

/** A number with as many digits as it needs. */
export function tidy(value: number): string {
  return String(Number(value.toFixed(3)));
}

export function rangeWords(kind: OperationKind, operation: Operation): string {
  if (!kind.ranged) return "";
  const { low = 0, high = 0 } = operation;
  if (kind.one_value) return tidy(low);
  const span = low === high ? tidy(low) : low === -high ? `±${tidy(high)}` : `${tidy(low)} to ${tidy(high)}`;
  return `${span} ${kind.unit}`.trim();
}

export function chanceWords(probability: number): string {
  if (probability >= 1) return "always";
  return `${Math.round(100 * probability)} %`;
}

/** What happens to pictures, in one line. */
export function variationWords(variation: Variation): string {
  const names = variation.operations
    .filter((entry) => variation.drawn || entry.probability > 0)
    .map((entry) => entry.kind.replaceAll("-", " "));
  if (!names.length || (variation.strength ?? 1) === 0) return "none";
  return `${drawingWords(variation, names.length)}${names.join(", ")}${strengthWords(variation)}`;
}

function drawingWords({ drawn, drawn_chance: chance = 1 }: Variation, of: number): string {
  if (!drawn) return "";
  return `${drawn} drawn from ${of}${chance < 1 ? ` for ${chanceWords(chance)} of pictures` : ""}: `;
}

function strengthWords({ drawn, strength = 1, drawn_spread: spread = 0 }: Variation): string {
  if (drawn && spread) return `; strength ${tidy(strength)} ± ${tidy(spread)}`;
  return strength === 1 ? "" : `; strength ${tidy(strength)}`;
}

/** Whether two values say the same, in whatever order their parts stand. */
export function sameValue(one: unknown, other: unknown): boolean {
  if (one === other) return true;
  if (typeof one !== "object" || typeof other !== "object" || !one || !other) return false;
  const keys = Object.keys(one);
  return (
    keys.length === Object.keys(other).length &&
    keys.every((key) =>
      sameValue((one as Record<string, unknown>)[key], (other as Record<string, unknown>)[key]),
    )
  );
}

/** A label shared between two classes: "0.7 plate + 0.3 column"; nothing where it is one class all the same. */
export function mixWords(own: string, other: string, share: number): string {
  if (own === other || share < 0.05) return "";
  return `${(1 - share).toFixed(1)} ${own} + ${share.toFixed(1)} ${other}`;
}

/** How often an epoch shows a picture of each class, when classes are drawn alike. */
export function showings(counts: readonly number[]): number[] {
  const present = counts.filter((count) => count > 0).length;
  const total = counts.reduce((sum, count) => sum + count, 0);
  return counts.map((count) => (count ? total / present / count : 0));
}
