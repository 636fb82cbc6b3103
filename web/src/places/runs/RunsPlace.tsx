/** Runs: the Run sheet beside the curves, the Ledger under them. */
import { useState } from "react";
import type { Recipe, Run } from "../../api/client";
import { useDefaultRecipe, useTrainingSettings } from "../../api/runQueries";
import { useAddress, usePlace } from "../../app/context";
import { Empty, Failed, Reading } from "../../parts/States";
import { DivideSheet } from "../sets/DivideSheet";
import { Ledger } from "./Ledger";
import { PreprocessingBench } from "./PreprocessingBench";
import { RunSheet } from "./RunSheet";
import { RunView } from "./RunView";
import { useTraining } from "./useTraining";
import { VariationBench } from "./VariationBench";

export function RunsPlace() {
  const { project, classes, split, runs, named } = usePlace();
  const [params, setAddress] = useAddress();
  const defaults = useDefaultRecipe();
  const table = useTrainingSettings();
  const [changed, setChanged] = useState<Recipe>();
  const [dividing, setDividing] = useState(false);
  const shown = named ?? runs[0];
  // What was changed here, else what the last run used, else the defaults.
  const recipe = changed ?? runs[0]?.recipe ?? defaults.data;
  const training = useTraining({
    projectId: project.id,
    recipe,
    table: table.data ?? [],
    splitId: split?.id,
    possible: project.pictures > 0 && table.data !== undefined,
    onStarted: (run) => setAddress({ run: String(run.id) }),
  });

  const failed = [defaults, table].find((query) => query.isError);
  if (failed) return <Failed error={failed.error} onRetry={() => void failed.refetch()} />;
  if (!recipe || !table.data) return <Reading what="the Run sheet" />;
  const part = params.get("part");
  if (part === "variation" || part === "preprocessing")
    return <Ingredient part={part} recipe={recipe} onRecipe={setChanged} />;
  return (
    <div className="flex h-full">
      <aside className="w-[330px] shrink-0 border-r border-hairline" aria-label="Run sheet">
        <RunSheet
          project={project}
          classes={classes}
          split={split}
          recipe={recipe}
          table={table.data}
          training={training}
          onRecipe={setChanged}
          onDivide={() => setDividing(true)}
          learning={part === "learning"}
          onOpen={(ingredient) => setAddress({ part: ingredient })}
        />
      </aside>
      <div className="flex min-w-0 flex-1 flex-col">
        <Results shown={shown} />
      </div>
      {dividing && <Dividing onClose={() => setDividing(false)} />}
    </div>
  );
}

interface IngredientProps {
  part: "variation" | "preprocessing";
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
}

function Ingredient({ part, ...shared }: IngredientProps) {
  const { project, classes, split } = usePlace();
  const [params, setAddress] = useAddress();
  const bench = {
    ...shared,
    projectId: project.id,
    classes,
    pictureIds: (params.get("pictures") ?? "").split(",").map(Number).filter(Boolean).slice(0, 24),
    onBack: () => setAddress({ part: undefined }),
  };
  return part === "variation" ? (
    <VariationBench {...bench} split={split?.id} />
  ) : (
    <PreprocessingBench {...bench} />
  );
}

function Results({ shown }: { shown: Run | undefined }) {
  const { project } = usePlace();
  const [, setAddress] = useAddress();
  if (!shown) return <NoRun pictures={project.pictures} />;
  return (
    <>
      <RunView run={shown} key={shown.id} />
      <Ledger projectId={project.id} shown={shown} onShow={(run) => setAddress({ run: String(run.id) })} />
    </>
  );
}

function NoRun({ pictures }: { pictures: number }) {
  return (
    <Empty title="No run yet">
      <p>
        {pictures
          ? "Press Train: the defaults are sound. Curves of training and validation show here while it runs."
          : "Bring in pictures first; then Train works with the defaults."}
      </p>
    </Empty>
  );
}

function Dividing({ onClose }: { onClose: () => void }) {
  const { project, classes, splits, split } = usePlace();
  const [, setAddress] = useAddress();
  return (
    <DivideSheet
      projectId={project.id}
      classes={classes}
      splits={splits}
      split={split}
      onClose={onClose}
      onDivided={(made) => setAddress({ split: String(made.id) })}
    />
  );
}
