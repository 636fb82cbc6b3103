/** A split in words. */
import type { Split } from "../api/client";
import { plural } from "./words";

export function splitName(split: Split): string {
  return split.version > 1 ? `${split.name}, version ${split.version}` : split.name;
}

/** How it was divided. */
export function ruleWords(split: Split): string {
  const rule = split.rule as { together?: string; pattern?: string; groups?: number; from?: number };
  const how = split.method === "random" ? `at random with seed ${split.seed}` : "as the folders came";
  const together =
    rule.together === "pattern"
      ? `, kept together by ${rule.pattern}`
      : rule.together === "group"
        ? ", series kept together"
        : rule.together === "day"
          ? ", days kept together"
          : "";
  const changed = rule.from ? `, changed after split ${rule.from}` : "";
  return `${how}${together}${rule.groups ? ` in ${plural(rule.groups, "group")}` : ""}${changed}`;
}

/** How exactly the shares were met, and why not where they were not. */
export function fitWords(split: Split): string {
  if (!split.fit.length) return "";
  const off = split.fit.filter((met) => met.because);
  if (!off.length) return "Every class met its shares within one picture.";
  const worst = off.reduce((a, b) => (Math.abs(b.got - b.wanted) > Math.abs(a.got - a.wanted) ? b : a));
  return `${plural(off.length, "share")} of ${split.fit.length} missed by a picture or more, at most by ${Math.abs(
    worst.got - worst.wanted,
  ).toFixed(1)}: ${worst.because}.`;
}
