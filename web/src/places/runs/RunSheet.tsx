/** The Run sheet: a run's ingredients in a band, each as a picture of itself; detail opens on demand. */
import type { ReactNode } from "react";
import type { ClassOf, Network, Project, Recipe, Setting, Split, TrainingSettings } from "../../api/client";
import { useVariationSheet } from "../../api/ingredientQueries";
import { useNetworks, useRateLine } from "../../api/runQueries";
import {
  networkWords,
  preprocessingWords,
  ratePath,
  ruleWords,
  scheduleWords,
  stackBars,
  steps,
} from "../../domain/recipe";
import { type SettingValue, shownSettings, withSetting } from "../../domain/trainingSettings";
import { variationWords } from "../../domain/variation";
import { plural } from "../../domain/words";
import { Imbalance } from "./Imbalance";
import { BAND, CELL, Part, PartHead } from "./Part";
import { PicturesPart } from "./PicturesPart";
import { SettingField } from "./SettingField";
import { type RunTitle, StartCell } from "./StartCell";
import type { Training } from "./useTraining";
import { useTrainingBase } from "./useTrainingBase";

export interface RunSheetProps {
  project: Project;
  classes: readonly ClassOf[];
  split: Split | undefined;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
  onDivide: () => void;
  /** The part on learning is what someone came for. */
  learning: boolean;
  /** Lays an ingredient's own place over the curves. */
  onOpen: (ingredient: "preprocessing" | "variation") => void;
  table: readonly Setting[];
  training: Training;
  title: RunTitle;
  onTitle: (title: RunTitle) => void;
}

const NO_VARIATION = { operations: [], strength: 1, drawn: 0, drawn_chance: 1, drawn_spread: 0 };

/** Set together as one of three ways against unequal classes. */
const BY_REMEDY = new Set(["class_weights", "class_draws"]);

export function RunSheet(props: RunSheetProps) {
  const { project, classes, split, recipe, onRecipe, onDivide, onOpen, table } = props;
  const { preprocessing, variation, settings } = recipe;
  const base = useTrainingBase(project.id, split, settings.seed);
  const shown = base?.sets.training ?? 0;
  const onSetting = (name: string, value: SettingValue) =>
    onRecipe({ ...recipe, settings: withSetting(table, settings, name, value) });
  return (
    <section aria-label="Run sheet" data-testid="run-sheet" className={`${BAND} border-b border-hairline`}>
      <PicturesPart projectId={project.id} split={split} base={base} onDivide={onDivide} />
      <Ingredient
        title="Preprocessing"
        words={preprocessingWords(preprocessing)}
        onOpen={() => onOpen("preprocessing")}
        picture={
          project.pictures > 0 && (
            <Preview
              projectId={project.id}
              recipe={{ ...recipe, variation: NO_VARIATION }}
              split={split?.id}
              variants={1}
              words="Originals beside what the network sees"
            />
          )
        }
      />
      <Ingredient
        title="Variation"
        words={variationWords(variation)}
        onOpen={() => onOpen("variation")}
        picture={
          project.pictures > 0 && (
            <Preview
              projectId={project.id}
              recipe={recipe}
              split={split?.id}
              variants={4}
              words="Originals with four variations each"
            />
          )
        }
      />
      <NetworkPart project={project} classes={classes} recipe={recipe} onRecipe={onRecipe} />
      <Part
        title="Schedule"
        words={scheduleWords(settings)}
        picture={<RateLine settings={settings} steps={steps(shown, settings)} />}
        right
      >
        {shownSettings(table, "schedule", settings).map((setting) => (
          <SettingField key={setting.name} setting={setting} settings={settings} onChange={onSetting} />
        ))}
      </Part>
      <Part title="Learning" words={ruleWords(table, settings)} asked={props.learning} right>
        {shownSettings(table, "learning", settings)
          .filter((setting) => !BY_REMEDY.has(setting.name))
          .map((setting) => (
            <SettingField key={setting.name} setting={setting} settings={settings} onChange={onSetting} />
          ))}
        <Imbalance classes={classes} split={split} recipe={recipe} onRecipe={onRecipe} />
      </Part>
      <StartCell {...props} shown={shown} onSetting={onSetting} />
    </section>
  );
}

function NetworkPart(props: Pick<RunSheetProps, "project" | "classes" | "recipe" | "onRecipe">) {
  const { project, classes, recipe, onRecipe } = props;
  const { size, colour } = recipe.preprocessing;
  const networks = useNetworks(project.id, size, colour === "rgb" ? 3 : 1);
  const network = networks.data?.find((entry) => entry.name === recipe.network);
  return (
    <Part
      title="Network"
      words={network ? `${network.name}, ${plural(network.parameters, "parameter")}` : recipe.network}
      picture={network && <Stack network={network} size={size} />}
    >
      <div className="flex flex-col gap-1">
        {networks.data?.map((entry) => (
          <label key={entry.name} className="flex cursor-pointer items-baseline gap-2">
            <input
              type="radio"
              name="network"
              checked={entry.name === recipe.network}
              onChange={() => onRecipe({ ...recipe, network: entry.name })}
              className="accent-choice"
            />
            <span>
              {entry.name}
              <span className="block text-sm text-quiet">{networkWords(entry)}</span>
            </span>
          </label>
        ))}
      </div>
      <p className="mt-1 text-sm text-quiet">
        The last layer follows the {plural(classes.filter((entry) => entry.count).length, "class", "classes")}
        . Multiply-adds are for one picture; a training step takes about three times as many.
      </p>
    </Part>
  );
}

/** An ingredient that has a place of its own. */
function Ingredient(props: { title: string; words: string; picture?: ReactNode; onOpen: () => void }) {
  return (
    <section className={CELL}>
      <button
        type="button"
        onClick={props.onOpen}
        data-ingredient={props.title.toLowerCase()}
        className="group block w-full cursor-pointer text-left"
      >
        <PartHead title={props.title} words={props.words} opens="open" />
        {props.picture && <span className="mt-1.5 block">{props.picture}</span>}
      </button>
    </section>
  );
}

interface PreviewProps {
  projectId: number;
  recipe: Recipe;
  split: number | undefined;
  variants: number;
  words: string;
}

/** Two pictures as training shows them, by the same function. */
function Preview({ projectId, recipe, split, variants, words }: PreviewProps) {
  const sheet = useVariationSheet(projectId, {
    preprocessing: recipe.preprocessing,
    variation: recipe.variation,
    pictureIds: [],
    pictures: 2,
    variants,
    seed: recipe.settings.seed,
    split,
  });
  if (sheet.error) {
    return (
      <span className="line-clamp-3 text-sm wrap-anywhere text-wrong" title={sheet.error.message}>
        {sheet.error.message}
      </span>
    );
  }
  return sheet.data ? (
    <img src={`data:image/jpeg;base64,${sheet.data.image}`} alt={words} className="h-[66px] object-contain" />
  ) : (
    <span className="block h-[66px] bg-sunken" style={{ aspectRatio: (1 + variants) / 2 }} />
  );
}

/** The learning rate from the first step to the last. */
function RateLine({ settings, steps: all }: { settings: TrainingSettings; steps: number }) {
  const rates = useRateLine(settings, all);
  return (
    <svg
      viewBox="0 0 100 42"
      preserveAspectRatio="none"
      className="h-11 w-full"
      role="img"
      aria-label="The learning rate over the training"
    >
      <line x1="0" x2="100" y1="41" y2="41" stroke="var(--edge)" vectorEffect="non-scaling-stroke" />
      <path
        d={ratePath(rates.data ?? [])}
        fill="none"
        stroke="var(--choice)"
        strokeWidth={2}
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}

/** Layers to scale: as wide as what comes out of them is high, as high as it is deep. */
function Stack({ network, size }: { network: Network; size: number }) {
  return (
    <div
      className="flex h-11 items-center gap-[2px] overflow-hidden"
      role="img"
      aria-label={`Layers of the ${network.name} network`}
    >
      {stackBars(network, size).map((bar) => (
        <span
          key={bar.key}
          title={bar.words}
          className="bg-choice/70"
          style={{ width: `${2 + bar.side * 22}px`, height: `${10 + bar.depth * 90}%` }}
        />
      ))}
    </div>
  );
}
