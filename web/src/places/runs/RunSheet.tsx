/** The Run sheet: a run's ingredients in a band, each as a picture of itself; detail opens on demand. */
import type { ReactNode } from "react";
import type {
  ClassOf,
  EndingTrial,
  Project,
  Recipe,
  Setting,
  Split,
  Starter,
  Variation,
} from "../../api/client";
import { useVariationSheet } from "../../api/ingredientQueries";
import type { StartPlanned } from "../../api/startQueries";
import { lessonOf } from "../../domain/network";
import { networkLabel, preprocessingWords, ruleWords, stackBars } from "../../domain/recipe";
import { planSeconds } from "../../domain/start";
import { type SettingValue, shownSettings, withSetting } from "../../domain/trainingSettings";
import { variationWords } from "../../domain/variation";
import { Imbalance } from "./Imbalance";
import { BAND, CELL, Part, PartHead } from "./Part";
import { PicturesPart } from "./PicturesPart";
import { SchedulePart } from "./SchedulePart";
import { SettingField } from "./SettingField";
import { type RunTitle, StartCell } from "./StartCell";
import { StartLine } from "./StartLine";
import { type ShownNetwork, useNetworkShown } from "./useNetworkShown";
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
  onOpen: (ingredient: "preprocessing" | "variation" | "network" | "start" | "watch") => void;
  /** Opens the planning of several runs by this recipe. */
  onPlan: () => void;
  table: readonly Setting[];
  training: Training;
  start: StartPlanned;
  /** What an early end would have done to earlier runs. */
  trial: EndingTrial | undefined;
  /** A variation that is proposed, where few pictures are not varied. */
  careful: Variation | undefined;
  /** Offered where nothing was chosen to start from. */
  proposed: Starter | undefined;
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
  const network = useNetworkShown(project.id, recipe.network, lessonOf(recipe, base?.sets));
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
      >
        {props.careful && (
          <button
            type="button"
            title="A picture that looks a little otherwise each time is worth many; what is varied leaves labels true."
            onClick={() => props.careful && onRecipe({ ...recipe, variation: props.careful })}
            className="mt-1 block min-h-6 cursor-pointer text-left text-sm text-choice hover:underline"
          >
            few pictures: vary them a little
          </button>
        )}
      </Ingredient>
      <NetworkPart {...props} network={network} />
      <SchedulePart
        recipe={recipe}
        table={table}
        shown={shown}
        seconds={secondsOf(props, network)}
        trial={props.trial}
        onSetting={onSetting}
        onWatch={() => onOpen("watch")}
      />
      <Part title="Learning" words={ruleWords(table, settings)} asked={props.learning} right>
        {shownSettings(table, "learning", settings)
          .filter((setting) => !BY_REMEDY.has(setting.name))
          .map((setting) => (
            <SettingField key={setting.name} setting={setting} settings={settings} onChange={onSetting} />
          ))}
        <Imbalance classes={classes} split={split} recipe={recipe} onRecipe={onRecipe} />
      </Part>
      <StartCell
        {...props}
        shown={shown}
        seconds={secondsOf(props, network)}
        network={network}
        onSetting={onSetting}
      />
    </section>
  );
}

/** Expected for all epochs; null where nothing is known to tell it by. */
function secondsOf({ recipe, start }: RunSheetProps, network: ShownNetwork | undefined): number | null {
  if (recipe.start) return planSeconds(start.plan);
  return network?.epoch_s ? network.epoch_s * recipe.settings.epochs : null;
}

function NetworkPart(props: RunSheetProps & { network: ShownNetwork | undefined }) {
  const { recipe, network, start, proposed, onOpen } = props;
  return (
    <Ingredient
      title="Network"
      words={network?.wrong ? `${recipe.network}: ${network.wrong}` : networkLabel(recipe.network, network)}
      onOpen={() => onOpen("network")}
      picture={network && <Stack network={network} size={recipe.preprocessing.size} />}
    >
      <StartLine
        start={recipe.start}
        plan={start.plan}
        problem={start.problem?.message ?? ""}
        proposed={proposed}
        onOpen={() => onOpen("start")}
      />
    </Ingredient>
  );
}

interface IngredientProps {
  title: string;
  words: string;
  picture?: ReactNode;
  onOpen: () => void;
  children?: ReactNode;
}

/** An ingredient that has a place of its own. */
function Ingredient(props: IngredientProps) {
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
      {props.children}
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

/** Layers to scale: as wide as what comes out of them is high, as high as it is deep. */
function Stack({ network, size }: { network: ShownNetwork; size: number }) {
  return (
    <div
      className="flex h-11 items-center gap-[2px] overflow-hidden"
      role="img"
      aria-label="The network's layers"
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
