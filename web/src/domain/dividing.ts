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

/** Parts of the labelled pictures. */
export type Shares = Record<"training" | "validation" | "test", number>;

/** As the split was made, or as it is proposed. */
export function divisionOf(split: Split | undefined, labelled: number, proposed: Shares): Division {
  const rule = (split?.rule ?? {}) as { together?: Together; pattern?: string; keep_copies?: boolean };
  return {
    name: "",
    method: split?.method === "folders" ? "folders" : "random",
    by: "shares",
    validation: Math.round((split?.shares.validation ?? proposed.validation) * 100),
    test: Math.round((split?.shares.test ?? proposed.test) * 100),
    numbers: {
      training: labelled - Math.round(labelled * proposed.validation) - Math.round(labelled * proposed.test),
      validation: Math.round(labelled * proposed.validation),
      test: Math.round(labelled * proposed.test),
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

/** Shares in words, in the order of the sets. */
export function sharesWords({ training, validation, test }: Shares): string {
  return [training, validation, test].map((share) => Math.round(share * 100)).join(" / ");
}

/** Whether the shares are as proposed. */
export function isAsProposed({ validation, test }: Division, proposed: Shares): boolean {
  return validation === Math.round(proposed.validation * 100) && test === Math.round(proposed.test * 100);
}

/** Pictures that validation and test would have. */
export function judgingCounts(division: Division, labelled: number): { validation: number; test: number } {
  if (countsPictures(division)) return division.numbers;
  const of = (percent: number) => Math.round((labelled * percent) / 100);
  return { validation: of(division.validation), test: of(division.test) };
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
