/** How long and how fast: the schedule's settings, as many epochs as fit into a time, and when it ends early. */
import { useState } from "react";
import type { EndingTrial, Recipe, Setting } from "../../api/client";
import { useRateLine } from "../../api/runQueries";
import { watchWords } from "../../domain/lookouts";
import { ratePath, scheduleWords, steps } from "../../domain/recipe";
import { endingShort, epochsWithin, type SettingValue, shownSettings } from "../../domain/trainingSettings";
import { plural } from "../../domain/words";
import { useNumberText } from "../../parts/useNumberText";
import { EndingFields } from "./EndingFields";
import { Part } from "./Part";
import { SettingField } from "./SettingField";

interface Props {
  recipe: Recipe;
  table: readonly Setting[];
  /** How many pictures an epoch shows. */
  shown: number;
  /** Expected of all epochs, if it can be told. */
  seconds: number | null;
  trial: EndingTrial | undefined;
  onSetting: (name: string, value: SettingValue) => void;
  /** To how it is watched. */
  onWatch: () => void;
}

export function SchedulePart({ recipe, table, shown, seconds, trial, onSetting, onWatch }: Props) {
  const { settings } = recipe;
  const ends = endingShort(table, settings);
  return (
    <Part
      title="Schedule"
      words={scheduleWords(settings)}
      picture={
        <>
          <RateLine recipe={recipe} steps={steps(shown, settings)} />
          {ends && (
            <p className="mt-1 line-clamp-2 text-sm text-quiet" title={`ends early ${ends}`}>
              ends early {ends}
            </p>
          )}
        </>
      }
      right
    >
      {shownSettings(table, "schedule", settings).map((setting) => (
        <div key={setting.name}>
          <SettingField setting={setting} settings={settings} onChange={onSetting} />
          {setting.name === "epochs" && seconds !== null && (
            <ForATime
              epochSeconds={seconds / settings.epochs}
              onEpochs={(epochs) => onSetting("epochs", epochs)}
            />
          )}
        </div>
      ))}
      <EndingFields table={table} settings={settings} onSetting={onSetting} trial={trial} />
      <p className="mt-2 border-t border-hairline pt-2 text-sm">
        <button
          type="button"
          onClick={onWatch}
          className="min-h-6 cursor-pointer text-left text-choice hover:underline"
        >
          {watchWords(recipe.watch)} …
        </button>
      </p>
    </Part>
  );
}

/** As many epochs as fit into some minutes: the number is what is kept, so that the rate's course is completed. */
function ForATime(props: { epochSeconds: number; onEpochs: (epochs: number) => void }) {
  const [minutes, setMinutes] = useState(10);
  const { good, field } = useNumberText(
    minutes,
    { min: 0, max: 100_000, above: true, step: "any" },
    setMinutes,
  );
  const epochs = epochsWithin(minutes, props.epochSeconds);
  return (
    <p className="mb-2 flex flex-wrap items-baseline gap-x-1.5 text-sm">
      train for
      <input
        {...field}
        aria-label="Minutes to train for"
        aria-invalid={!good}
        className="rounded-control w-14 border border-edge bg-surface px-1 text-right font-mono aria-invalid:border-wrong"
      />
      minutes:
      <button
        type="button"
        onClick={() => props.onEpochs(epochs)}
        className="min-h-6 cursor-pointer text-choice hover:underline"
      >
        {plural(epochs, "epoch")}
      </button>
    </p>
  );
}

/** The learning rate from the first step to the last. */
function RateLine({ recipe, steps: all }: { recipe: Recipe; steps: number }) {
  const rates = useRateLine(recipe.settings, all, recipe.start?.new_epochs ?? 0);
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
