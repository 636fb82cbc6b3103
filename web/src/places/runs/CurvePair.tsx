/** Two plots side by side: loss on either scale, and beside it accuracy or what else the epochs tell. */
import { useState } from "react";
import type { Epoch, Run } from "../../api/client";
import { usePlace } from "../../app/context";
import { classColour, colourPlace } from "../../domain/classColour";
import type { Shown } from "../../domain/curveLines";
import { thawedAt } from "../../domain/start";
import { Curves } from "./Curves";

const BESIDE: readonly { readonly shown: Shown; readonly words: string }[] = [
  { shown: "accuracy", words: "Accuracy" },
  { shown: "macro-f1", words: "Macro F1" },
  { shown: "recall", words: "Recall of each class" },
  { shown: "rate", words: "Learning rate" },
];

export function CurvePair({ run, epochs }: { run: Run; epochs: readonly Epoch[] }) {
  const { classes } = usePlace();
  const [logarithmic, setLogarithmic] = useState(false);
  const [beside, setBeside] = useState<Shown>("accuracy");
  const known = new Map(classes.map((entry) => [entry.id, entry]));
  const shared = {
    epochs,
    // What ended early fills the width, as any other that is done.
    planned: run.ended_by === "condition" ? run.epochs_done : run.recipe.settings.epochs,
    kept: run.model?.epoch ?? null,
    thawed: thawedAt(run.recipe),
    classes: run.classes.map((entry, place) => ({
      name: entry.name,
      sign: known.get(entry.id)?.sign ?? entry.name.slice(0, 2),
      colour: classColour(colourPlace(known.get(entry.id)) ?? place),
    })),
  };
  return (
    <div className="mt-2 flex min-h-[210px] flex-1 gap-4 px-5">
      <Curves
        {...shared}
        shown="loss"
        logarithmic={logarithmic}
        head={
          <>
            Loss{" "}
            <label className="ml-2 cursor-pointer font-normal text-quiet">
              <input
                type="checkbox"
                checked={logarithmic}
                onChange={(event) => setLogarithmic(event.target.checked)}
                className="mr-1 accent-choice"
              />
              logarithmic
            </label>
          </>
        }
      />
      <Curves
        {...shared}
        shown={beside}
        head={
          <select
            aria-label="What is shown beside the loss"
            value={beside}
            onChange={(event) => setBeside(event.target.value as Shown)}
            className="-ml-1 cursor-pointer rounded-control bg-ground font-semibold"
          >
            {BESIDE.map((entry) => (
              <option key={entry.shown} value={entry.shown}>
                {entry.words}
              </option>
            ))}
          </select>
        }
      />
    </div>
  );
}
