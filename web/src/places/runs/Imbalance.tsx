/** Against unequal classes: three ways, with what each does to an epoch. */
import type { ClassOf, Recipe, Split } from "../../api/client";
import { showings } from "../../domain/variation";
import { Choice } from "../../parts/Choice";

const REMEDIES = [
  { value: "none", label: "as they are", title: "Each picture once an epoch, all count the same" },
  { value: "weights", label: "count alike", title: "Pictures of rare classes weigh more in the loss" },
  { value: "draws", label: "shown alike", title: "Pictures of rare classes are shown more often" },
] as const;

export function Imbalance(props: {
  classes: readonly ClassOf[];
  split: Split | undefined;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
}) {
  const { settings } = props.recipe;
  const counts = props.classes.map((entry) =>
    props.split ? (props.split.counts[String(entry.id)]?.training ?? 0) : entry.count,
  );
  const times = showings(counts);
  const present = props.classes
    .map((entry, n) => ({ name: entry.name, times: times[n] ?? 0 }))
    .filter((entry) => entry.times > 0)
    .sort((a, b) => b.times - a.times);
  const rare = present[0];
  const common = present.at(-1);
  const value =
    settings.class_draws === "balanced"
      ? "draws"
      : settings.class_weights === "balanced"
        ? "weights"
        : "none";
  return (
    <div className="mb-2">
      <Choice<"none" | "weights" | "draws">
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
      {rare && common && rare !== common && (
        <p className="mt-1 text-sm text-quiet" data-testid="imbalance">
          {value === "none" &&
            `${common.name} has ${(rare.times / common.times).toFixed(1)} times as many pictures as ${rare.name}; each is shown once.`}
          {value === "weights" &&
            `A ${rare.name} counts ${rare.times.toFixed(1)} times, a ${common.name} ${common.times.toFixed(1)} times; an epoch takes as long as before.`}
          {value === "draws" &&
            `An epoch shows each ${rare.name} ${rare.times.toFixed(1)} times and each ${common.name} ${common.times.toFixed(1)} times, together as many pictures as before.`}
        </p>
      )}
    </div>
  );
}
