/** Two plots side by side: loss on either scale, and beside it accuracy or what else the epochs tell. */
import { useState } from "react";
import type { Epoch, Job, Lookout, Run } from "../../api/client";
import { usePlace } from "../../app/context";
import { classColour, colourPlace } from "../../domain/classColour";
import type { Shown } from "../../domain/curveLines";
import { underWay } from "../../domain/jobs";
import { thawedAt } from "../../domain/start";
import { DrawingFile } from "../../parts/DrawingFile";
import { Curves, Plotted } from "./Curves";
import { LayerStrip } from "./LayerStrip";
import { LookoutList } from "./Lookouts";

type Beside = Shown | "layers";

const BESIDE: readonly { readonly shown: Beside; readonly words: string }[] = [
  { shown: "accuracy", words: "Accuracy" },
  { shown: "macro-f1", words: "Macro F1" },
  { shown: "recall", words: "Recall of each class" },
  { shown: "rate", words: "Learning rate" },
  { shown: "layers", words: "What the layers do" },
];

interface Props {
  run: Run;
  epochs: readonly Epoch[];
  turned: number | null | undefined;
  lookouts: readonly Lookout[];
  /** Its training, while it goes on. */
  job: Job | undefined;
}

export function CurvePair({ run, epochs, turned, lookouts, job }: Props) {
  const { classes } = usePlace();
  const [logarithmic, setLogarithmic] = useState(false);
  const [taken, setTaken] = useState<Shown>();
  const [beside, setBeside] = useState<Beside>("accuracy");
  const known = new Map(classes.map((entry) => [entry.id, entry]));
  const shared = {
    epochs,
    // What ended early fills the width, as any other that is done.
    planned: run.ended_by === "condition" ? run.epochs_done : run.recipe.settings.epochs,
    kept: run.model?.epoch ?? null,
    thawed: thawedAt(run.recipe),
    turned,
    underWay: job && underWay(job, run.recipe.settings.epochs),
    classes: run.classes.map((entry, place) => ({
      name: entry.name,
      sign: known.get(entry.id)?.sign ?? entry.name.slice(0, 2),
      colour: classColour(colourPlace(known.get(entry.id)) ?? place),
    })),
  };
  const choice = (
    <select
      aria-label="What is shown beside the loss"
      value={beside}
      onChange={(event) => setBeside(event.target.value as Beside)}
      className="-ml-1 cursor-pointer rounded-control bg-ground font-semibold"
    >
      {BESIDE.map((entry) => (
        <option key={entry.shown} value={entry.shown}>
          {entry.words}
        </option>
      ))}
    </select>
  );
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
            <TakeButton onTake={() => setTaken("loss")} />
          </>
        }
      />
      {beside === "layers" ? (
        <div className="flex min-w-0 flex-1 flex-col">
          <p className="text-[13px] leading-5">{choice}</p>
          <div className="min-h-0 flex-1">
            <LayerStrip runId={run.id} trains={run.state !== "ended"} />
          </div>
        </div>
      ) : (
        <Curves
          {...shared}
          shown={beside}
          head={
            <>
              {choice} <TakeButton onTake={() => setTaken(beside)} />
            </>
          }
        />
      )}
      <LookoutList lookouts={lookouts} />
      {taken && (
        <DrawingFile
          title="Curves as a file"
          name={`run-${run.number}-${taken}`}
          first={CURVES_FILE}
          drawn={(size) => (
            <Plotted
              {...shared}
              shown={taken}
              logarithmic={taken === "loss" && logarithmic}
              size={size}
              titled
            />
          )}
          onClose={() => setTaken(undefined)}
        />
      )}
    </div>
  );
}

const CURVES_FILE = { width: 760, height: 430 };

function TakeButton({ onTake }: { onTake: () => void }) {
  return (
    <button
      type="button"
      title="These curves as SVG or PNG"
      aria-label="These curves as a file"
      onClick={onTake}
      className="ml-2 min-h-6 cursor-pointer font-normal text-choice hover:underline"
    >
      as a file
    </button>
  );
}
