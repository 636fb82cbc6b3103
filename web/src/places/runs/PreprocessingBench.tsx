/** What every picture goes through before the network sees it, beside the originals. */
import { useDeferredValue } from "react";
import type { ClassOf, Preprocessing, Recipe } from "../../api/client";
import { usePreprocessingSheet } from "../../api/ingredientQueries";
import { FITS } from "../../domain/recipe";
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
      <Seen {...{ projectId, classes, preprocessing, pictureIds }} />
    </Bench>
  );
}

type SeenProps = Pick<Props, "projectId" | "classes" | "pictureIds"> & { preprocessing: Preprocessing };

function Seen({ projectId, classes, preprocessing, pictureIds }: SeenProps) {
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
