/** What every picture goes through before the network sees it, beside the originals. */
import { useDeferredValue } from "react";
import type { ClassOf, Network, Preprocessing, Recipe } from "../../api/client";
import { useInputSize, usePreprocessingSheet } from "../../api/ingredientQueries";
import { useNetworks } from "../../api/runQueries";
import { INPUT_SIZES, short } from "../../domain/recipe";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { Failed, Reading } from "../../parts/States";
import { NamedVersions } from "./NamedVersions";
import { TileSheet } from "./TileSheet";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  recipe: Recipe;
  pictureIds: readonly number[];
  onRecipe: (recipe: Recipe) => void;
  onBack: () => void;
}

const FITS = ["distort", "border", "middle"] as const;

export function PreprocessingBench({ projectId, classes, recipe, pictureIds, onRecipe, onBack }: Props) {
  const before = recipe.preprocessing;
  const change = (part: Partial<Preprocessing>) =>
    onRecipe({ ...recipe, preprocessing: { ...before, ...part } });
  const proposal = useInputSize(projectId);
  const networks = useNetworks(projectId, before.size, before.colour === "rgb" ? 3 : 1);
  const network = networks.data?.find((entry) => entry.name === recipe.network);
  return (
    <div className="flex h-full flex-col" data-testid="preprocessing-bench">
      <header className="flex items-center gap-4 border-b border-hairline px-4 py-2">
        <Button onClick={onBack}>‹ Run sheet</Button>
        <h2 className="text-lg font-semibold">Preprocessing</h2>
        <NamedVersions
          projectId={projectId}
          kind="preprocessing"
          value={before}
          onTake={(entry) => onRecipe({ ...recipe, preprocessing: entry.value as unknown as Preprocessing })}
        />
      </header>
      <div className="flex min-h-0 flex-1">
        <aside
          className="flex w-[340px] shrink-0 flex-col gap-3 overflow-y-auto border-r border-hairline px-4 py-3"
          aria-label="Settings"
        >
          <div>
            <Choice
              label="Side, pixels"
              value={before.size}
              onChange={(size) => change({ size })}
              options={INPUT_SIZES.map((value) => ({ value, label: value, title: `${value} pixels` }))}
            />
            <div className="mt-2">
              <NumberField
                label="Another side"
                help="8 to 512. Twice the side costs four times the time."
                value={before.size}
                min={8}
                max={512}
                onChange={(size) => change({ size })}
              />
            </div>
            {network && <Cost network={network} />}
            {proposal.data && (
              <p className="mt-1 text-sm text-quiet" data-testid="proposal">
                {proposal.data.because}{" "}
                {proposal.data.size === before.size ? (
                  <b>That is the proposal.</b>
                ) : (
                  <button
                    type="button"
                    className="cursor-pointer text-choice underline"
                    onClick={() => proposal.data && change({ size: proposal.data.size })}
                  >
                    Take {proposal.data.size}
                  </button>
                )}
              </p>
            )}
          </div>
          <div>
            <Choice
              label="Fit"
              value={before.fit ?? "distort"}
              onChange={(fit) => change({ fit })}
              options={[
                { value: "distort", label: "distort", title: "The whole picture, stretched to the square" },
                { value: "border", label: "border", title: "The whole picture with a border beside it" },
                { value: "middle", label: "middle", title: "The largest square in its middle" },
              ]}
            />
            <p className="mt-1 text-sm text-quiet">
              Distort if proportions are no clue; border keeps them and all of the picture; middle keeps them
              and cuts the ends off.
            </p>
          </div>
          <Choice
            label="Colour"
            value={before.colour}
            onChange={(colour) => change({ colour })}
            options={[
              { value: "rgb", label: "colour" },
              { value: "grey", label: "grey" },
            ]}
          />
          {before.fit === "border" && (
            <Colour label="Border" value={before.border} onChange={(border) => change({ border })} />
          )}
          <Colour
            label="Under transparent parts"
            value={before.ground}
            onChange={(ground) => change({ ground })}
          />
          <div>
            <Choice
              label="Scale"
              value={before.scale ?? "deviation"}
              onChange={(scale) => change({ scale })}
              options={[
                { value: "deviation", label: "by deviation", title: "By mean and deviation of each channel" },
                { value: "unit", label: "0 to 1", title: "0 to 1" },
                { value: "signed", label: "−1 to 1", title: "Minus 1 to 1" },
              ]}
            />
            <p className="mt-1 text-sm text-quiet">
              Mean and deviation are computed from training pictures only and kept with the run.
            </p>
          </div>
          <div>
            <Choice
              label="Answers on"
              value={before.views ?? "one"}
              onChange={(views) => change({ views })}
              options={[
                { value: "one", label: "one", title: "The picture alone" },
                { value: "mirrored", label: "mirrored", title: "The mean of it and its mirror image" },
                { value: "turned", label: "turned", title: "The mean of it in four quarter turns" },
              ]}
            />
            <p className="mt-1 text-sm text-quiet">
              One is usual. The others average over copies when judging, trying and in the export; training
              stays as it is, an answer takes two or four times as long.
            </p>
          </div>
        </aside>
        <section className="min-w-0 flex-1 overflow-y-auto px-4 py-3" aria-label="What the network sees">
          <Seen projectId={projectId} classes={classes} preprocessing={before} pictureIds={pictureIds} />
        </section>
      </div>
    </div>
  );
}

function Cost({ network }: { network: Network }) {
  return (
    <p className="text-sm text-quiet">
      {network.name} then takes {short(network.multiply_adds)} multiply-adds a picture.
    </p>
  );
}

function hex(colour: readonly number[] | undefined): string {
  return `#${(colour ?? [0, 0, 0]).map((value) => value.toString(16).padStart(2, "0")).join("")}`;
}

function Colour(props: {
  label: string;
  value: readonly number[] | undefined;
  onChange: (value: number[]) => void;
}) {
  return (
    <label className="flex items-center gap-2">
      <span className="text-quiet">{props.label}</span>
      <input
        type="color"
        value={hex(props.value)}
        onChange={(event) =>
          props.onChange([1, 3, 5].map((at) => Number.parseInt(event.target.value.slice(at, at + 2), 16)))
        }
        className="h-6 w-12 cursor-pointer border border-edge"
      />
    </label>
  );
}

function Seen({
  projectId,
  classes,
  preprocessing,
  pictureIds,
}: {
  projectId: number;
  classes: readonly ClassOf[];
  preprocessing: Preprocessing;
  pictureIds: readonly number[];
}) {
  const sheet = usePreprocessingSheet(projectId, useDeferredValue(preprocessing), pictureIds);
  if (sheet.error) return <Failed error={sheet.error} onRetry={() => void sheet.refetch()} />;
  if (!sheet.data) return <Reading what="the pictures" />;
  return (
    <>
      <p className="mb-2 text-quiet">
        {pictureIds.length ? "The chosen pictures" : "The oddest shapes first"}: the original, then what the
        network sees of it in each way to fit it; enlarged, pixel by pixel.
      </p>
      <TileSheet
        sheet={sheet.data}
        heads={sheet.data.class_ids.map(
          (id) => classes.find((entry) => entry.id === id)?.name ?? "unlabelled",
        )}
        columns={["original", ...FITS]}
        chosen={1 + FITS.indexOf(preprocessing.fit as (typeof FITS)[number])}
        label="Originals and what the network sees of them"
        testId="preprocessing-sheet"
      />
    </>
  );
}
