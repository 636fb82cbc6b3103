/** The Run sheet: a run's ingredients, each as a picture of itself; detail opens on demand. */
import { Disclosure, DisclosureButton, DisclosurePanel, Switch } from "@headlessui/react";
import { type ReactNode, useState } from "react";
import type { ClassOf, Network, Project, Recipe, Split } from "../../api/client";
import { useNetworks } from "../../api/queries";
import {
  BRIGHTNESS,
  INPUT_SIZES,
  networkWords,
  OPTIMIZERS,
  ruleWords,
  SCHEDULES,
  scheduleWords,
  stackBars,
  steps,
  TURNS,
  variationWords,
} from "../../domain/recipe";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { SetBar } from "../../parts/SetBar";
import { Sheet } from "../../parts/Sheet";

interface Props {
  project: Project;
  classes: readonly ClassOf[];
  split: Split | undefined;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
  onDivide: () => void;
  onTrain: () => void;
  busy: boolean;
}

export function RunSheet({ project, classes, split, recipe, onRecipe, onDivide, onTrain, busy }: Props) {
  const { preprocessing, variation, settings } = recipe;
  const channels = preprocessing.colour === "rgb" ? 3 : 1;
  const networks = useNetworks(project.id, preprocessing.size, channels);
  const network = networks.data?.find((entry) => entry.name === recipe.network);
  const counts = setTotals(split);
  const labelled = classes.reduce((sum, entry) => sum + entry.count, 0);
  const training = split ? counts.training : Math.round(labelled * 0.7);
  return (
    <div className="flex h-full flex-col" data-testid="run-sheet">
      <div className="min-h-0 flex-1 overflow-y-auto px-4 pt-2">
        <Part
          title="Pictures"
          words={
            split
              ? `split ${split.number}: ${counts.training} / ${counts.validation} / ${counts.test}`
              : "divided when you train"
          }
          picture={<SetBar counts={counts} height={10} />}
        >
          <p className="mb-2 text-sm text-quiet">
            Training / validation / test. Unlabelled pictures are left out.
          </p>
          <Button onClick={onDivide}>{split ? "Open the split" : "Divide"}</Button>
        </Part>
        <Part
          title="Preprocessing"
          words={`${preprocessing.size} × ${preprocessing.size} pixels, ${preprocessing.colour === "rgb" ? "colour" : "grey"}`}
        >
          <div className="mb-2 flex flex-col gap-2">
            <Choice
              label="Side, pixels"
              value={preprocessing.size}
              onChange={(size) => onRecipe({ ...recipe, preprocessing: { ...preprocessing, size } })}
              options={INPUT_SIZES.map((value) => ({ value, label: value, title: `${value} pixels` }))}
            />
            <Choice<"rgb" | "grey">
              label="Colour"
              value={preprocessing.colour}
              onChange={(colour) => onRecipe({ ...recipe, preprocessing: { ...preprocessing, colour } })}
              options={[
                { value: "rgb", label: "colour" },
                { value: "grey", label: "grey" },
              ]}
            />
          </div>
          <p className="text-sm text-quiet">
            The whole picture is stretched to a square. Twice the side costs four times the time. Mean and
            deviation are taken from training pictures only.
          </p>
        </Part>
        <Part
          title="Variation"
          words={variationWords(variation)}
          picture={project.pictures > 0 && <Preview projectId={project.id} recipe={recipe} />}
        >
          <Toggle
            label="Mirror left to right"
            help="Off if left and right tell classes apart."
            on={variation.mirror}
            onChange={(mirror) => onRecipe({ ...recipe, variation: { ...variation, mirror } })}
          />
          <div className="my-2">
            <Choice<number>
              label="Turn"
              value={TURNS.find((turn) => turn.value === variation.turn_degrees)?.value ?? 15}
              onChange={(turn_degrees) => onRecipe({ ...recipe, variation: { ...variation, turn_degrees } })}
              options={TURNS}
            />
            <p className="text-sm text-quiet">Any angle only if a turned picture is still the same class.</p>
          </div>
          <Toggle
            label="Brightness ±20 %"
            help="Off if brightness is a clue to the class."
            on={variation.brightness > 0}
            onChange={(on) =>
              onRecipe({ ...recipe, variation: { ...variation, brightness: on ? BRIGHTNESS : 0 } })
            }
          />
        </Part>
        <Part
          title="Network"
          words={network ? `${network.name}, ${plural(network.parameters, "parameter")}` : recipe.network}
          picture={network && <Stack network={network} size={preprocessing.size} />}
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
            The last layer follows the{" "}
            {plural(classes.filter((entry) => entry.count).length, "class", "classes")}. Multiply-adds are for
            one picture; a training step takes about three times as many.
          </p>
        </Part>
        <Part title="Schedule" words={scheduleWords(settings)}>
          <NumberField
            label="Epochs"
            help="Passes over the training pictures; 10 to 100 is usual."
            value={settings.epochs}
            min={1}
            max={10000}
            onChange={(epochs) => onRecipe({ ...recipe, settings: { ...settings, epochs } })}
          />
          <NumberField
            label="Batch size"
            help="Pictures a step; 16 to 128 is usual."
            value={settings.batch_size}
            min={1}
            max={4096}
            onChange={(batch_size) => onRecipe({ ...recipe, settings: { ...settings, batch_size } })}
          />
          <NumberField
            label="Learning rate"
            help="Highest rate; it rises to it at first. 0.0003 to 0.01 is usual."
            value={settings.learning_rate}
            min={0.000001}
            max={10}
            step="any"
            onChange={(learning_rate) => onRecipe({ ...recipe, settings: { ...settings, learning_rate } })}
          />
          <NumberField
            label="Seed"
            help="The same seed gives the same weights."
            value={settings.seed}
            min={0}
            max={4294967295}
            onChange={(seed) => onRecipe({ ...recipe, settings: { ...settings, seed } })}
          />
        </Part>
        <Part title="Learning" words={ruleWords(settings)}>
          <div className="mb-2 flex flex-col gap-2">
            <Choice
              label="Optimizer"
              value={settings.optimizer}
              onChange={(optimizer) => onRecipe({ ...recipe, settings: { ...settings, optimizer } })}
              options={OPTIMIZERS}
            />
            <Choice
              label="The rate"
              value={settings.schedule}
              onChange={(schedule) => onRecipe({ ...recipe, settings: { ...settings, schedule } })}
              options={SCHEDULES}
            />
          </div>
          {settings.schedule === "step" && (
            <NumberField
              label="Epochs a step"
              help="After so many epochs the rate becomes a tenth."
              value={settings.step_epochs}
              min={1}
              max={10000}
              onChange={(step_epochs) => onRecipe({ ...recipe, settings: { ...settings, step_epochs } })}
            />
          )}
          <Toggle
            label="Classes count alike"
            help="A picture of a rare class weighs more, so that it is not neglected."
            on={settings.class_weights === "balanced"}
            onChange={(on) =>
              onRecipe({ ...recipe, settings: { ...settings, class_weights: on ? "balanced" : "none" } })
            }
          />
          <NumberField
            label="Label smoothing"
            help="Share of each target spread over all classes, against false certainty. 0 is off, 0.1 is usual."
            value={settings.label_smoothing}
            min={0}
            max={0.9}
            step="any"
            onChange={(label_smoothing) =>
              onRecipe({ ...recipe, settings: { ...settings, label_smoothing } })
            }
          />
          <NumberField
            label="Longest gradient"
            help="Longer ones are shortened to it, against leaps. 0 is off; 1 to 5 is usual."
            value={settings.clip_norm}
            min={0}
            max={1000000}
            step="any"
            onChange={(clip_norm) => onRecipe({ ...recipe, settings: { ...settings, clip_norm } })}
          />
        </Part>
      </div>
      <div className="border-t border-hairline px-4 py-2">
        <Button
          kind="main"
          className="w-full justify-center py-1.5 text-lg"
          disabled={busy}
          onClick={onTrain}
        >
          Train
        </Button>
        <p className="mt-1 text-center text-sm text-quiet">
          {training.toLocaleString("en")} pictures, {steps(training, settings).toLocaleString("en")} steps
        </p>
      </div>
    </div>
  );
}

function setTotals(split: Split | undefined) {
  const totals = { training: 0, validation: 0, test: 0, none: 0 };
  for (const entry of Object.values(split?.counts ?? {})) {
    totals.training += entry.training ?? 0;
    totals.validation += entry.validation ?? 0;
    totals.test += entry.test ?? 0;
  }
  return totals;
}

function Part(props: { title: string; words: string; picture?: ReactNode; children: ReactNode }) {
  return (
    <Disclosure as="section" className="border-b border-hairline py-2 last:border-0">
      {({ open }) => (
        <>
          <DisclosureButton className="flex w-full cursor-pointer items-baseline gap-2 text-left">
            <span className="font-semibold">{props.title}</span>
            <span className="min-w-0 flex-1 truncate text-sm text-quiet" title={props.words}>
              {props.words}
            </span>
            <span className="text-sm text-choice">{open ? "less" : "change"}</span>
          </DisclosureButton>
          {props.picture && <div className="mt-1.5">{props.picture}</div>}
          <DisclosurePanel className="mt-2">{props.children}</DisclosurePanel>
        </>
      )}
    </Disclosure>
  );
}

function Toggle(props: { label: string; help: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <div className="flex items-start gap-2">
      <Switch
        checked={props.on}
        onChange={props.onChange}
        aria-label={props.label}
        className="mt-0.5 h-4.5 w-8 shrink-0 cursor-pointer border border-edge bg-sunken data-checked:border-choice data-checked:bg-choice"
      >
        <span className={`block h-full w-3.5 ${props.on ? "translate-x-4 bg-surface" : "bg-edge"}`} />
      </Switch>
      <div>
        <div>{props.label}</div>
        <p className="text-sm text-quiet">{props.help}</p>
      </div>
    </div>
  );
}

function previewUrl(
  projectId: number,
  recipe: Recipe,
  pictures: number,
  variants: number,
  seed: number,
): string {
  const query = new URLSearchParams({
    mirror: String(recipe.variation.mirror),
    turn_degrees: String(recipe.variation.turn_degrees),
    brightness: String(recipe.variation.brightness),
    size: String(recipe.preprocessing.size),
    colour: recipe.preprocessing.colour,
    seed: String(seed),
    pictures: String(pictures),
    variants: String(variants),
  });
  return `/api/projects/${projectId}/variation-sheet?${query}`;
}

/** What the network sees of a few pictures, and what the first epochs make of them: the same function as training. */
function Preview({ projectId, recipe }: { projectId: number; recipe: Recipe }) {
  const [open, setOpen] = useState(false);
  const [drawn, setDrawn] = useState(0);
  const [failed, setFailed] = useState("");
  const seed = recipe.settings.seed + drawn;
  const small = previewUrl(projectId, recipe, 2, 4, recipe.settings.seed);
  return (
    <>
      <button
        type="button"
        className="block w-full cursor-pointer"
        title="Open the preview sheet"
        aria-label="Open the preview of the variation"
        onClick={() => setOpen(true)}
      >
        {failed === small ? (
          <span className="text-sm text-quiet">A preview shows here once there are pictures.</span>
        ) : (
          <img
            src={small}
            alt=""
            className="aspect-[5/2] w-full bg-sunken"
            onError={() => setFailed(small)}
          />
        )}
      </button>
      <Sheet title="Variation" open={open} wide onClose={() => setOpen(false)}>
        <p className="mb-2 text-quiet">
          {variationWords(recipe.variation)}. First column: what the network sees of the original. Then what
          training shows in its first epochs with seed {seed}. Only training pictures are varied.
        </p>
        <img
          src={previewUrl(projectId, recipe, 7, 9, seed)}
          alt="Originals, each with nine variations"
          data-testid="variation-preview"
        />
        <div className="mt-3">
          <Button onClick={() => setDrawn(drawn + 1)}>Draw again</Button>
        </div>
      </Sheet>
    </>
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
