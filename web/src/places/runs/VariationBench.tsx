/** A variation and what it makes of pictures: operations at the left, the drawn sheet beside them. */
import { useDeferredValue, useState } from "react";
import type { ClassOf, Recipe, Variation } from "../../api/client";
import { useExtremes, useIngredients, useVariationSheet } from "../../api/ingredientQueries";
import { mixWords, variationWords } from "../../domain/variation";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { Failed, Reading } from "../../parts/States";
import { Bench } from "./Bench";
import { NamedVersions } from "./NamedVersions";
import { TileSheet } from "./TileSheet";
import { VariationSettings } from "./VariationSettings";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  split: number | undefined;
  recipe: Recipe;
  pictureIds: readonly number[];
  onRecipe: (recipe: Recipe) => void;
  onBack: () => void;
}

type Shown = "training" | "alone" | "beside";

export function VariationBench(props: Props) {
  const { projectId, recipe, onRecipe, onBack } = props;
  const [shown, setShown] = useState<Shown>("training");
  const [drawn, setDrawn] = useState(0);
  const change = (variation: Variation) => onRecipe({ ...recipe, variation });
  const seed = recipe.settings.seed + drawn;
  return (
    <Bench
      title="Variation"
      testId="variation-bench"
      head={
        <>
          <NamedVersions
            projectId={projectId}
            kind="variation"
            value={recipe.variation}
            onTake={(entry) => change(entry.value as unknown as Variation)}
          />
          <p className="min-w-0 flex-1 truncate text-right text-quiet">Only training pictures are varied.</p>
        </>
      }
      settings={<VariationSettings recipe={recipe} onChange={change} />}
      settingsLabel="Operations"
      previewLabel="Preview"
      onBack={onBack}
    >
      <div className="mb-2 flex items-center gap-3">
        <Choice<Shown>
          label="Show"
          hideLabel
          value={shown}
          onChange={setShown}
          options={[
            { value: "training", label: "as training shows it" },
            { value: "alone", label: "each operation alone" },
            { value: "beside", label: "beside another" },
          ]}
        />
        {shown !== "alone" && <Button onClick={() => setDrawn(drawn + 1)}>Draw again</Button>}
        <span className="text-sm text-quiet">seed {seed}</span>
      </div>
      <Preview {...props} shown={shown} seed={seed} />
    </Bench>
  );
}

function Preview(props: Props & { shown: Shown; seed: number }) {
  const { projectId, recipe, shown } = props;
  // The sheet follows the strength under the finger; while one is drawn the last stays on show.
  const variation = useDeferredValue(recipe.variation);
  const { data: kept = [] } = useIngredients(projectId, "variation");
  const [other, setOther] = useState(0);
  if (shown === "alone") return <Alone {...props} variation={variation} />;
  if (shown === "training") return <Drawn {...props} variation={variation} pictures={6} variants={8} />;
  if (!kept.length)
    return (
      <p className="p-6 text-center text-quiet">
        Keep a variation by name first; then another can be seen beside it.
      </p>
    );
  const beside = kept.find((entry) => entry.id === other) ?? kept[0];
  return (
    <div className="flex flex-col gap-3">
      <Drawn {...props} variation={variation} pictures={4} variants={8} title="This one" />
      <label className="flex items-center gap-2">
        Beside it
        <select
          value={beside?.id}
          onChange={(event) => setOther(Number(event.target.value))}
          className="rounded-control border border-edge bg-surface px-2 py-0.5"
        >
          {kept.map((entry) => (
            <option key={entry.id} value={entry.id}>
              {entry.name}, version {entry.version}
            </option>
          ))}
        </select>
      </label>
      {beside && (
        <Drawn {...props} variation={beside.value as unknown as Variation} pictures={4} variants={8} />
      )}
    </div>
  );
}

interface DrawnProps extends Props {
  variation: Variation;
  seed: number;
  pictures: number;
  variants: number;
  title?: string;
}

function Drawn(props: DrawnProps) {
  const { projectId, classes, recipe, variation, seed, pictures, variants, split, pictureIds, title } = props;
  const sheet = useVariationSheet(projectId, {
    preprocessing: recipe.preprocessing,
    variation,
    pictureIds,
    pictures,
    variants,
    seed,
    split,
  });
  if (sheet.error) return <Failed error={sheet.error} onRetry={() => void sheet.refetch()} />;
  if (!sheet.data) return <Reading what="the pictures" />;
  const nameOf = (id: number | null | undefined) =>
    classes.find((entry) => entry.id === id)?.name ?? "unlabelled";
  const heads = sheet.data.class_ids.map(nameOf);
  const { mixes } = sheet.data;
  return (
    <div>
      <p className="mb-1 text-quiet">
        {title && <b className="text-ink">{title}: </b>}
        {variationWords(variation)}.
      </p>
      <TileSheet
        sheet={sheet.data}
        heads={heads}
        columns={["as seen", ...Array.from({ length: variants }, (_, n) => `epoch ${n + 1}`)]}
        chosen={0}
        words={(row, column) => {
          const mix = mixes.find((entry) => entry.row === row && entry.column === column);
          return mix ? mixWords(heads[row] ?? "", nameOf(mix.class_id), mix.share) : "";
        }}
        label="Originals as the network sees them, each with what the first epochs show"
        testId="variation-sheet"
      />
    </div>
  );
}

function Alone({ projectId, recipe, variation, pictureIds }: Props & { variation: Variation }) {
  const sheet = useExtremes(projectId, recipe.preprocessing, variation, pictureIds, true);
  if (sheet.error) return <Failed error={sheet.error} onRetry={() => void sheet.refetch()} />;
  if (!sheet.data) return <Reading what="the pictures" />;
  if (!sheet.data.heads.length)
    return <p className="p-6 text-center text-quiet">Switch an operation on at the left.</p>;
  return (
    <TileSheet
      sheet={sheet.data}
      heads={sheet.data.heads.map((name) => name.replaceAll("-", " "))}
      columns={["as seen", "low end", "high end"]}
      chosen={0}
      label="Each operation alone at both ends of its range"
      testId="extremes-sheet"
    />
  );
}
