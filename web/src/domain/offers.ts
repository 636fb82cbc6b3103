/** Models on offer: versions by name, and what is said of them. */
import type { Agreement, Offer } from "../api/client";
import { plural, score } from "./words";

export const STATE_WORDS: Readonly<Record<Offer["state"], string>> = {
  tried: "being tried",
  in_use: "in use",
  put_away: "put away",
};

export interface Named {
  readonly name: string;
  /** The newest first. */
  readonly versions: readonly Offer[];
  /** The one that would be used again; undefined where none was in use before. */
  readonly former: Offer | undefined;
}

/** In the order of the list. */
export function byName(offers: readonly Offer[]): Named[] {
  const names = new Map<string, Offer[]>();
  for (const offer of offers) {
    const key = offer.name.toLowerCase();
    names.set(key, [...(names.get(key) ?? []), offer]);
  }
  return [...names.values()].map((versions) => ({
    name: versions[0]?.name ?? "",
    versions,
    former: versions
      .filter((offer) => offer.state !== "in_use" && offer.used_at)
      .sort((one, other) => (other.used_at ?? "").localeCompare(one.used_at ?? ""))[0],
  }));
}

/** How often it was right, on which pictures. */
export function rightWords(offer: Offer): string {
  const judged = offer.validation;
  if (!judged) return "not judged on validation";
  const [low = 0, high = 1] = judged.accuracy_interval;
  return `${score(judged.accuracy)} (${score(low)} to ${score(high)}) on ${plural(judged.count, "validation picture")}`;
}

export function agreementWords(found: Agreement): string {
  const on = `on ${plural(found.pictures, "stored picture")}`;
  const off = `the largest difference of any probability is ${found.max_abs_difference.toExponential(1)}`;
  if (found.agrees) return `It still answers as it did ${on}: ${off}.`;
  return `It answers otherwise than it did ${on}: ${found.changed} answers are others, and ${off}.`;
}
