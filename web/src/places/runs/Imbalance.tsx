/** Against unequal classes: three ways, with what each does to an epoch. */
import type { ClassOf, Recipe, Split } from "../../api/client";
import { showings } from "../../domain/variation";
import { Choice } from "../../parts/Choice";
import { Help } from "../../parts/Help";

const REMEDIES = [
  { value: "none", label: "as they are", title: "Each picture once an epoch, all count the same" },
  { value: "weights", label: "count alike", title: "Pictures of rare classes weigh more in the loss" },
  { value: "draws", label: "shown alike", title: "Pictures of rare classes are shown more often" },
] as const;

type Way = (typeof REMEDIES)[number]["value"];

interface Props {
  classes: readonly ClassOf[];
  split: Split | undefined;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
}

export function Imbalance(props: Props) {
  const { settings } = props.recipe;
  const counts = props.classes.map((entry) =>
    props.split ? (props.split.counts[String(entry.id)]?.training ?? 0) : entry.count,
  );
  const value: Way =
    settings.class_draws === "balanced"
      ? "draws"
      : settings.class_weights === "balanced"
        ? "weights"
        : "none";
  return (
    <div className="mb-2">
      <Choice<Way>
        label="Classes"
        value={value}
        onChange={(way) =>
          props.onRecipe({
            ...props.recipe,
            settings: {
              ...settings,
              class_weights: way === "weights" ? "balanced" : "none",
              class_draws: way === "draws" ? "balanced" : "none",
            },
          })
        }
        options={REMEDIES}
      />
      <Consequence way={value} classes={props.classes} counts={counts} />
    </div>
  );
}

/** What the way does to the rarest class and to the most common one. */
function Consequence(props: { way: Way; classes: readonly ClassOf[]; counts: readonly number[] }) {
  const times = showings(props.counts);
  const present = props.classes
    .map((entry, n) => ({ name: entry.name, times: times[n] ?? 0 }))
    .filter((entry) => entry.times > 0)
    .sort((a, b) => b.times - a.times);
  const rare = present[0];
  const common = present.at(-1);
  if (!rare || !common || rare === common) return null;
  const often = { rare: rare.times.toFixed(1), common: common.times.toFixed(1) };
  const words = {
    none: `${common.name} has ${(rare.times / common.times).toFixed(1)} times as many pictures as ${rare.name}; each is shown once.`,
    weights: `A ${rare.name} counts ${often.rare} times, a ${common.name} ${often.common} times; an epoch takes as long as before.`,
    draws: `An epoch shows each ${rare.name} ${often.rare} times and each ${common.name} ${often.common} times, together as many pictures as before.`,
  };
  return (
    <p className="mt-1 text-sm text-quiet" data-testid="imbalance">
      <Help guide="training#count-in-the-loss">{words[props.way]}</Help>
    </p>
  );
}
