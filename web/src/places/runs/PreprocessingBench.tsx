/** What every picture goes through before the network sees it, beside the originals. */
import { type ReactNode, useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { useAreaRules } from "../../api/areaQueries";
import type { AreaRule, ClassOf, Preprocessing, Recipe } from "../../api/client";
import { usePreprocessingSheet } from "../../api/ingredientQueries";
import { areaFrom, areaWords, ruleFor } from "../../domain/area";
import { FITS } from "../../domain/recipe";
import { Choice } from "../../parts/Choice";
import { Failed, Reading } from "../../parts/States";
import { Bench } from "./Bench";
import { NamedVersions } from "./NamedVersions";
import { PreprocessingFields } from "./PreprocessingFields";
import { TileSheet } from "./TileSheet";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  recipe: Recipe;
  pictureIds: readonly number[];
  onRecipe: (recipe: Recipe) => void;
  onBack: () => void;
}

export function PreprocessingBench({ projectId, classes, recipe, pictureIds, onRecipe, onBack }: Props) {
  const { preprocessing } = recipe;
  const take = (next: Preprocessing) => onRecipe({ ...recipe, preprocessing: next });
  return (
    <Bench
      title="Preprocessing"
      testId="preprocessing-bench"
      head={
        <NamedVersions
          projectId={projectId}
          kind="preprocessing"
          value={preprocessing}
          onTake={(entry) => take(entry.value as unknown as Preprocessing)}
        />
      }
      settings={<PreprocessingFields {...{ projectId, preprocessing, recipe }} onChange={take} />}
      settingsLabel="Settings"
      previewLabel="What the network sees"
      onBack={onBack}
    >
      <Seen
        {...{ projectId, classes, preprocessing, pictureIds }}
        onFit={(fit) => take({ ...preprocessing, fit })}
      />
    </Bench>
  );
}

type SeenProps = Pick<Props, "projectId" | "classes" | "pictureIds"> & {
  preprocessing: Preprocessing;
  onFit: (fit: Preprocessing["fit"]) => void;
};

function Seen({ projectId, classes, preprocessing, pictureIds, onFit }: SeenProps) {
  const [view, setView] = useState<"steps" | "fits">("steps");
  const steps = view === "steps";
  const sheet = usePreprocessingSheet(projectId, useDeferredValue(preprocessing), pictureIds, steps);
  return (
    <>
      <Steps projectId={projectId} preprocessing={preprocessing} />
      <ShapesDiffer projectId={projectId} preprocessing={preprocessing} onFit={onFit} />
      <div className="mb-2 flex items-center gap-3">
        <Choice
          label="Shown"
          value={view}
          onChange={setView}
          options={[
            { value: "steps", label: "step by step", title: "The picture after each step" },
            { value: "fits", label: "ways to fit", title: "What the network sees in each way to fit" },
          ]}
        />
        <p className="text-quiet">
          {pictureIds.length ? "The chosen pictures" : "The oddest shapes first"}
          {steps ? "." : "; enlarged, pixel by pixel."}
        </p>
      </div>
      {sheet.error && <Failed error={sheet.error} onRetry={() => void sheet.refetch()} />}
      {!sheet.data && !sheet.error && <Reading what="the pictures" />}
      {sheet.data && (
        <TileSheet
          sheet={sheet.data}
          heads={sheet.data.class_ids.map(
            (id) => classes.find((entry) => entry.id === id)?.name ?? "unlabelled",
          )}
          columns={steps ? sheet.data.heads : ["original", ...FITS]}
          chosen={
            steps ? sheet.data.columns - 1 : 1 + FITS.indexOf(preprocessing.fit as (typeof FITS)[number])
          }
          label="Originals and what the network sees of them"
          testId="preprocessing-sheet"
        />
      )}
    </>
  );
}

/** Parts that are found by themselves have many shapes, of which distorting leaves nothing. */
function ShapesDiffer({
  projectId,
  preprocessing,
  onFit,
}: Pick<SeenProps, "projectId" | "preprocessing" | "onFit">) {
  const rules = useAreaRules(projectId);
  const found = rules.data?.rules.some((rule) => rule.area.margin !== null);
  if (!found || preprocessing.fit !== "distort") return null;
  return (
    <p className="mb-2 border-l-4 border-action bg-sunken px-3 py-1" data-testid="shapes-differ">
      Parts that are found by themselves differ in shape, and distorting them to the square hides that. How
      large a thing is is hidden in any case.{" "}
      <button type="button" className="cursor-pointer text-choice underline" onClick={() => onFit("border")}>
        Fit with a border
      </button>
    </p>
  );
}

/** What is done to a picture by itself, what the network file does, and what is done to a batch in training only. */
function Steps({ projectId, preprocessing }: Pick<SeenProps, "projectId" | "preprocessing">) {
  const rules = useAreaRules(projectId);
  const by = rules.data?.rules ?? [];
  return (
    <div className="mb-3 grid grid-cols-3 gap-x-6" data-testid="preprocessing-steps">
      <StepList title="To each picture" note="the same wherever it is seen">
        <li>turned upright; the first frame; laid on its ground</li>
        <li>
          <Link className="text-choice underline" to={`/p/${projectId}/rows/area`}>
            working area
          </Link>
          : {by.length ? by.map(ruleWords).join("; ") : "all of it, unless it has one of its own"}
        </li>
        {preprocessing.colour === "grey" && <li>made grey</li>}
        <li>
          {FIT_WORDS[preprocessing.fit] ?? preprocessing.fit}, {preprocessing.size} × {preprocessing.size}{" "}
          pixels
        </li>
      </StepList>
      <StepList
        title="Inside the network file"
        note="in training and in every export"
        start={preprocessing.colour === "grey" ? 5 : 4}
      >
        <li>{SCALE_WORDS[preprocessing.scale] ?? preprocessing.scale}</li>
        <li>the network, and probabilities</li>
      </StepList>
      <StepList title="To a batch" note="in training only" plain>
        <li>pictures are drawn in another order in each epoch</li>
        <li>variation, anew for each picture and epoch</li>
      </StepList>
    </div>
  );
}

const FIT_WORDS: Readonly<Record<string, string>> = {
  distort: "stretched to the square",
  border: "brought to the square with a border",
  middle: "its middle square",
};

const SCALE_WORDS: Readonly<Record<string, string>> = {
  deviation: "less the mean, divided by the deviation of the training pictures",
  unit: "scaled to 0 to 1",
  signed: "scaled to −1 to 1",
};

function ruleWords(rule: AreaRule): string {
  return `${rule.sift ? `${ruleFor(rule.sift)}: ` : ""}${areaWords(areaFrom(rule.area))}`;
}

function StepList(props: {
  title: string;
  note: string;
  start?: number;
  plain?: boolean;
  children: ReactNode;
}) {
  const look = props.plain ? "list-disc" : "list-decimal";
  return (
    <div>
      <h3 className="font-semibold">
        {props.title} <span className="text-sm font-normal text-quiet">{props.note}</span>
      </h3>
      <ol start={props.start ?? 1} className={`ml-5 text-sm ${look}`}>
        {props.children}
      </ol>
    </div>
  );
}
