/** The Run sheet: a run's ingredients, each as a picture of itself; detail opens on demand. */
import type { ReactNode } from "react";
import type { ClassOf, Network, Project, Recipe, Setting, Split } from "../../api/client";
import { useSplitChecks, useVariationSheet } from "../../api/ingredientQueries";
import { useNetworks } from "../../api/runQueries";
import {
  networkWords,
  preprocessingWords,
  ruleWords,
  scheduleWords,
  stackBars,
  steps,
} from "../../domain/recipe";
import { type SettingValue, shownSettings, withSetting } from "../../domain/trainingSettings";
import { variationWords } from "../../domain/variation";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Imbalance } from "./Imbalance";
import { Part } from "./Part";
import { PicturesPart } from "./PicturesPart";
import { SettingField } from "./SettingField";
import type { Training } from "./useTraining";
import { useTrainingBase } from "./useTrainingBase";

interface Props {
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
}

/** Set together as one of three ways against unequal classes. */
const BY_REMEDY = new Set(["class_weights", "class_draws"]);

export function RunSheet(props: Props) {
  const { project, classes, split, recipe, onRecipe, onDivide, onOpen, table } = props;
  const { preprocessing, variation, settings } = recipe;
  const base = useTrainingBase(project.id, split, settings.seed);
  const shown = base?.sets.training ?? 0;
  const onSetting = (name: string, value: SettingValue) =>
    onRecipe({ ...recipe, settings: withSetting(table, settings, name, value) });
  return (
    <div className="flex h-full flex-col" data-testid="run-sheet">
      <div className="min-h-0 flex-1 overflow-y-auto px-4 pt-2">
        <PicturesPart projectId={project.id} split={split} base={base} onDivide={onDivide} />
        <Ingredient
          title="Preprocessing"
          words={preprocessingWords(preprocessing)}
          onOpen={() => onOpen("preprocessing")}
        />
        <Ingredient
          title="Variation"
          words={variationWords(variation)}
          onOpen={() => onOpen("variation")}
          picture={
            project.pictures > 0 && <Preview projectId={project.id} recipe={recipe} split={split?.id} />
          }
        />
        <NetworkPart project={project} classes={classes} recipe={recipe} onRecipe={onRecipe} />
        <Part title="Schedule" words={scheduleWords(settings)}>
          {shownSettings(table, "schedule", settings).map((setting) => (
            <SettingField key={setting.name} setting={setting} settings={settings} onChange={onSetting} />
          ))}
        </Part>
        <Part title="Learning" words={ruleWords(table, settings)} asked={props.learning}>
          {shownSettings(table, "learning", settings)
            .filter((setting) => !BY_REMEDY.has(setting.name))
            .map((setting) => (
              <SettingField key={setting.name} setting={setting} settings={settings} onChange={onSetting} />
            ))}
          <Imbalance classes={classes} split={split} recipe={recipe} onRecipe={onRecipe} />
        </Part>
      </div>
      <StartLine {...props} shown={shown} onSetting={onSetting} />
    </div>
  );
}

interface StartLineProps extends Props {
  /** How many pictures an epoch shows. */
  shown: number;
  onSetting: (name: string, value: SettingValue) => void;
}

function StartLine({ project, split, recipe, training, shown, onDivide, onSetting }: StartLineProps) {
  return (
    <div className="border-t border-hairline px-4 py-2">
      {training.doubts.length ? (
        <Doubts training={training} onSetting={onSetting} />
      ) : (
        <Button
          kind="main"
          className="w-full justify-center py-1.5 text-lg"
          disabled={training.busy || !project.pictures}
          onClick={training.start}
        >
          Train
        </Button>
      )}
      {split && <Warnings projectId={project.id} split={split} onDivide={onDivide} />}
      <p className="mt-1 text-center text-sm text-quiet">
        {shown.toLocaleString("en")} pictures, {steps(shown, recipe.settings).toLocaleString("en")} steps
      </p>
    </div>
  );
}

function NetworkPart(props: Pick<Props, "project" | "classes" | "recipe" | "onRecipe">) {
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

/** What is far from usual is asked before the start, with the way back beside it. */
function Doubts(props: { training: Training; onSetting: (name: string, value: SettingValue) => void }) {
  const { doubts, insist, withdraw } = props.training;
  return (
    <div role="alertdialog" aria-label="Before the start" data-testid="doubts">
      {doubts.map((doubt) => (
        <p key={doubt.name} className="mb-1 text-wrong">
          {doubt.words}
        </p>
      ))}
      <div className="flex gap-2">
        <Button
          kind="main"
          onClick={() => {
            for (const doubt of doubts) props.onSetting(doubt.name, doubt.usual);
            withdraw();
          }}
        >
          Use {doubts.map((doubt) => doubt.usual).join(", ")}
        </Button>
        <Button onClick={insist}>Train all the same</Button>
      </div>
    </div>
  );
}

/** What the split's checks found, said once more where it matters. */
function Warnings(props: { projectId: number; split: Split; onDivide: () => void }) {
  const { data: checks } = useSplitChecks(props.projectId, props.split.id);
  const words = [
    ...props.split.warnings,
    ...(checks?.copy_groups ? [`${plural(checks.copy_groups, "group")} of copies in different sets.`] : []),
    ...(checks?.small ?? []),
  ];
  if (!words.length) return null;
  return (
    <button
      type="button"
      onClick={props.onDivide}
      title="Open the split"
      className="mt-1 block w-full cursor-pointer text-left text-sm text-wrong"
      data-testid="split-warnings"
    >
      {words.slice(0, 3).map((line) => (
        <span key={line} className="block truncate" title={line}>
          {line}
        </span>
      ))}
      {words.length > 3 && <span>and {words.length - 3} more</span>}
    </button>
  );
}

/** An ingredient that has a place of its own. */
function Ingredient(props: { title: string; words: string; picture?: ReactNode; onOpen: () => void }) {
  return (
    <section className="border-b border-hairline py-2">
      <button
        type="button"
        onClick={props.onOpen}
        data-ingredient={props.title.toLowerCase()}
        className="block w-full cursor-pointer text-left"
      >
        <span className="flex items-baseline gap-2">
          <span className="font-semibold">{props.title}</span>
          <span className="min-w-0 flex-1 truncate text-sm text-quiet" title={props.words}>
            {props.words}
          </span>
          <span className="text-sm text-choice">open</span>
        </span>
        {props.picture && <span className="mt-1.5 block">{props.picture}</span>}
      </button>
    </section>
  );
}

/** Two pictures with four variations each: the same function as training. */
function Preview({
  projectId,
  recipe,
  split,
}: {
  projectId: number;
  recipe: Recipe;
  split: number | undefined;
}) {
  const sheet = useVariationSheet(projectId, {
    preprocessing: recipe.preprocessing,
    variation: recipe.variation,
    pictureIds: [],
    pictures: 2,
    variants: 4,
    seed: recipe.settings.seed,
    split,
  });
  if (sheet.error) return <span className="text-sm text-wrong">{sheet.error.message}</span>;
  return sheet.data ? (
    <img
      src={`data:image/jpeg;base64,${sheet.data.image}`}
      alt="Originals with four variations each"
      className="w-full"
    />
  ) : (
    <span className="block aspect-[5/2] bg-sunken" />
  );
}

/** Layers to scale: as wide as what comes out of them is high, as high as it is deep. */
function Stack({ network, size }: { network: Network; size: number }) {
  return (
    <div
      className="flex h-12 items-center gap-[3px]"
      role="img"
      aria-label={`Layers of the ${network.name} network`}
    >
      {stackBars(network, size).map((bar) => (
        <span
          key={bar.key}
          title={bar.words}
          className="bg-choice/70"
          style={{ width: `${3 + bar.side * 44}px`, height: `${10 + bar.depth * 90}%` }}
        />
      ))}
    </div>
  );
}
