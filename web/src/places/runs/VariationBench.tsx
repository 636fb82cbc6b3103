/** A variation and what it makes of pictures: operations at the left, the drawn sheet beside them. */
import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { useDeferredValue, useState } from "react";
import type { ClassOf, Recipe, Variation } from "../../api/client";
import { useExtremes, useIngredients, useOperations, useVariationSheet } from "../../api/ingredientQueries";
import { drawable, mixWords, tidy, variationWords } from "../../domain/variation";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { Failed, Reading } from "../../parts/States";
import { NamedVersions } from "./NamedVersions";
import { OperationList } from "./OperationList";
import { TileSheet } from "./TileSheet";
import { VariationQuestions } from "./VariationQuestions";

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
  const { variation } = recipe;
  const kinds = useOperations();
  const [shown, setShown] = useState<Shown>("training");
  const [drawn, setDrawn] = useState(0);
  const change = (next: Variation) => onRecipe({ ...recipe, variation: next });
  if (!kinds.data) return <Reading what="the operations" />;
  const strength = variation.strength ?? 1;
  return (
    <div className="flex h-full flex-col" data-testid="variation-bench">
      <header className="flex items-center gap-4 border-b border-hairline px-4 py-2">
        <Button onClick={onBack}>‹ Run sheet</Button>
        <h2 className="text-lg font-semibold">Variation</h2>
        <NamedVersions
          projectId={projectId}
          kind="variation"
          value={variation}
          onTake={(entry) => change(entry.value as unknown as Variation)}
        />
        <p className="min-w-0 flex-1 truncate text-right text-quiet">Only training pictures are varied.</p>
      </header>
      <div className="flex min-h-0 flex-1">
        <aside
          className="w-[340px] shrink-0 overflow-y-auto border-r border-hairline px-4 py-2"
          aria-label="Operations"
        >
          <Disclosure as="section" className="mb-2 border-b border-hairline pb-2">
            <DisclosureButton className="w-full cursor-pointer text-left font-semibold text-choice">
              Start from questions about the pictures
            </DisclosureButton>
            <DisclosurePanel className="mt-2">
              <VariationQuestions
                channels={recipe.preprocessing.colour === "rgb" ? 3 : 1}
                onAnswered={change}
              />
            </DisclosurePanel>
          </Disclosure>
          <label className="flex items-center gap-2">
            Strength
            <input
              type="range"
              min={0}
              max={200}
              step={5}
              value={Math.round(strength * 100)}
              onChange={(event) => change({ ...variation, strength: Number(event.target.value) / 100 })}
              className="min-w-0 flex-1 accent-choice"
              data-testid="strength"
            />
            <span className="w-10 text-right font-mono">{tidy(strength)}</span>
          </label>
          <p className="mb-1.5 text-sm text-quiet">
            How far all ranges reach: 0 changes nothing, 1 is as they say.
          </p>
          <div className="mb-3 flex items-center gap-2">
            <Choice
              label="Happens"
              value={variation.drawn ? "drawn" : "chance"}
              onChange={(way) =>
                change({
                  ...variation,
                  drawn: way === "drawn" ? Math.min(2, drawable(variation.operations)) : 0,
                })
              }
              options={[
                { value: "chance", label: "by chance", title: "Each operation by its own chance" },
                { value: "drawn", label: "drawn", title: "A few are drawn afresh for each picture" },
              ]}
            />
            {!!variation.drawn && (
              <Choice
                hideLabel
                label="How many are drawn"
                value={variation.drawn}
                onChange={(count) => change({ ...variation, drawn: count })}
                options={[1, 2, 3]
                  .filter((count) => count <= drawable(variation.operations))
                  .map((value) => ({ value, label: value, title: `${value} for each picture` }))}
              />
            )}
          </div>
          <OperationList
            kinds={kinds.data}
            variation={variation}
            grey={recipe.preprocessing.colour === "grey"}
            onChange={change}
          />
        </aside>
        <section className="flex min-w-0 flex-1 flex-col overflow-y-auto px-4 py-2" aria-label="Preview">
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
            <span className="text-sm text-quiet">seed {recipe.settings.seed + drawn}</span>
          </div>
          <Preview {...props} shown={shown} seed={recipe.settings.seed + drawn} />
        </section>
      </div>
    </div>
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
