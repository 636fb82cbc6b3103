/** What a run stood on, ingredient by ingredient, and how the Run sheet differs from it now. */

import type { Recipe, Run, Setting, Split } from "../api/client";
import { preprocessingWords, ruleWords, scheduleWords } from "./recipe";
import { changeInWords, wasTrained } from "./runs";
import { startWords } from "./start";
import { sameValue, variationWords } from "./variation";
import { plural, SETS } from "./words";

export interface StoodOnPart {
  readonly title: string;
  /** As it was. */
  readonly words: string;
  /** What the Run sheet has otherwise now; empty if nothing. */
  readonly now: string;
}

type Flat = Readonly<Record<string, unknown>>;

/** Values that differ, as "batch size 16". */
function others(part: string, was: Flat, is: Flat, names: readonly string[] = Object.keys(is)): string {
  return names
    .filter((name) => !sameValue(was[name], is[name]))
    .map((name) => changeInWords({ what: `${part}.${name}`, before: was[name], after: is[name] }))
    .join(", ");
}

export function stoodOn(
  run: Run,
  sheet: Recipe,
  split: Split | undefined,
  table: readonly Setting[],
): readonly StoodOnPart[] {
  const { preprocessing, variation, network, settings } = run.recipe;
  const counts = SETS.map((set) => (run.counts[set] ?? 0).toLocaleString("en")).join(" / ");
  const of = (part: Setting["part"]) =>
    others(
      "settings",
      settings as unknown as Flat,
      sheet.settings as unknown as Flat,
      table.filter((setting) => setting.part === part).map((setting) => setting.name),
    );
  // Of what was brought in nothing of a training is known.
  const trained = (words: string) => (wasTrained(run) ? words : "not trained here");
  return [
    {
      title: "Pictures",
      words: `split ${run.split_number}: ${counts}, ${plural(run.classes.length, "class", "classes")}`,
      now: split && split.id !== run.split_id ? `split ${split.number}` : "",
    },
    {
      title: "Preprocessing",
      words: preprocessingWords(preprocessing),
      now: others("preprocessing", preprocessing, sheet.preprocessing),
    },
    {
      title: "Variation",
      words: trained(variationWords(variation)),
      now: sameValue(variation, sheet.variation) ? "" : variationWords(sheet.variation),
    },
    {
      title: "Network",
      words: `${network}, ${plural(run.parameters, "parameter")}${run.recipe.start ? `, ${startWords(run.recipe.start)}` : ""}`,
      now: [
        network === sheet.network ? "" : sheet.network,
        startWords(run.recipe.start) === startWords(sheet.start) ? "" : startWords(sheet.start),
      ]
        .filter(Boolean)
        .join(", "),
    },
    { title: "Schedule", words: trained(scheduleWords(settings)), now: of("schedule") },
    { title: "Learning", words: trained(ruleWords(table, settings)), now: of("learning") },
  ];
}
