/** Which pictures a training stands on, and which take no part in it. */
import type { SetName, Split } from "../api/client";
import { SETS } from "./words";

export interface TrainingBase {
  /** Where the sets come from, in words. */
  readonly name: string;
  readonly sets: Record<SetName | "none", number>;
  /** Pictures that take no part, by the reason. */
  readonly leftOut: Readonly<Record<string, number>>;
}

/** Pictures in each set, of all classes together. */
export function setTotals(counts: Split["counts"]): TrainingBase["sets"] {
  const of = (set: SetName) => Object.values(counts).reduce((sum, entry) => sum + (entry[set] ?? 0), 0);
  return { training: of("training"), validation: of("validation"), test: of("test"), none: 0 };
}

export function baseWords({ name, sets }: TrainingBase): string {
  if (SETS.every((set) => !sets[set])) return "no labelled picture yet";
  return `${name}: ${SETS.map((set) => sets[set].toLocaleString("en")).join(" / ")}`;
}

/** Why pictures take no part, with the Sift that shows them. */
const REASONS = [
  { reason: "unlabelled", words: "unlabelled", sift: "unlabelled" },
  { reason: "excluded", words: "excluded", sift: "excluded" },
  { reason: "unsure", words: "unsure", sift: "unsure not excluded" },
  { reason: "none", words: "in no set", sift: "set:none not (unlabelled or excluded or unsure)" },
] as const;

export interface LeftOut {
  readonly reason: (typeof REASONS)[number]["reason"];
  readonly words: string;
  readonly sift: string;
}

export function leftOut(base: TrainingBase): LeftOut[] {
  return REASONS.flatMap(({ reason, words, sift }) => {
    const count = base.leftOut[reason] ?? 0;
    return count ? [{ reason, words: `${count.toLocaleString("en")} ${words}`, sift }] : [];
  });
}
