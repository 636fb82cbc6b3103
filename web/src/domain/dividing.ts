/** How pictures are to be divided, as the Divide sheet holds it until it is asked for. */
import type { Split } from "../api/client";

export type Together = "nothing" | "group" | "pattern" | "day";
export type SetNumbers = Record<"training" | "validation" | "test", number>;

export interface Division {
  readonly name: string;
  readonly method: "random" | "folders";
  readonly by: "shares" | "numbers";
  /** In percent; training has the rest. */
  readonly validation: number;
  readonly test: number;
  readonly numbers: SetNumbers;
  readonly together: Together;
  readonly pattern: string;
  readonly keepCopies: boolean;
  readonly stratified: boolean;
  readonly seed: number;
}

/** As the split was made, or by the defaults. */
export function divisionOf(split: Split | undefined, labelled: number): Division {
  const rule = (split?.rule ?? {}) as { together?: Together; pattern?: string; keep_copies?: boolean };
  return {
    name: "",
    method: split?.method === "folders" ? "folders" : "random",
    by: "shares",
    validation: Math.round((split?.shares.validation ?? 0.15) * 100),
    test: Math.round((split?.shares.test ?? 0.15) * 100),
    numbers: {
      training: Math.round(labelled * 0.7),
      validation: Math.round(labelled * 0.15),
      test: Math.round(labelled * 0.1),
    },
    together: rule.together ?? "nothing",
    pattern: rule.pattern || "{group}_{number}",
    keepCopies: rule.keep_copies ?? true,
    stratified: true,
    seed: split?.seed ?? 1,
  };
}

/** What is left to train on, in percent. */
export function trainingShare({ validation, test }: Division): number {
  return 100 - validation - test;
}

/** How many labelled pictures would be in no set; below zero, how many are missing. */
export function restOf({ numbers }: Division, labelled: number): number {
  return labelled - numbers.training - numbers.validation - numbers.test;
}

/** Whether sets are given as numbers of pictures. */
export function countsPictures({ by, method }: Division): boolean {
  return by === "numbers" && method === "random";
}

export function canDivide(division: Division, labelled: number): boolean {
  return countsPictures(division) ? restOf(division, labelled) >= 0 : trainingShare(division) >= 1;
}

/** What is asked of the server. */
export function splitOrder(division: Division) {
  const { name, method, seed, stratified, together, pattern, keepCopies, validation, test } = division;
  return {
    name,
    method,
    seed,
    stratified,
    together: method === "random" ? together : ("nothing" as const),
    pattern: together === "pattern" ? pattern : "",
    keep_copies: keepCopies,
    shares: { training: trainingShare(division) / 100, validation: validation / 100, test: test / 100 },
    numbers: countsPictures(division) ? division.numbers : null,
  };
}
