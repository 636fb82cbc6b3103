/** What a person says of the pictures, from which a variation follows; and read back from a variation. */
import type { Variation } from "../api/client";

export interface Answers {
  readonly mirrored: "no" | "sideways" | "both";
  readonly turned: "no" | "slightly" | "quarters" | "any";
  readonly size_is_clue: boolean;
  readonly colour_is_clue: boolean;
  readonly light_is_even: boolean;
  readonly sharp: boolean;
  readonly covered: boolean;
}

export type YesNo = {
  [Key in keyof Answers]: Answers[Key] extends boolean ? Key : never;
}[keyof Answers];

/** The widest turn that is called a little, in degrees. */
const SLIGHT = 45;

/** The answers that fit a variation: what was set by hand since is read as its nearest answer. */
export function answersOf({ operations }: Pick<Variation, "operations">): Answers {
  const has = (...kinds: string[]) => operations.some((entry) => kinds.includes(entry.kind));
  const turn = operations.find((entry) => entry.kind === "turn");
  const widest = turn ? Math.max(Math.abs(turn.low ?? 0), Math.abs(turn.high ?? 0)) : 0;
  return {
    mirrored: has("flip") ? "both" : has("mirror") ? "sideways" : "no",
    turned: widest > SLIGHT ? "any" : has("quarter-turn") ? "quarters" : turn ? "slightly" : "no",
    size_is_clue: !has("zoom"),
    colour_is_clue: !has("saturation", "hue", "grey"),
    light_is_even: !has("gamma"),
    sharp: !has("blur", "noise"),
    covered: has("block"),
  };
}
