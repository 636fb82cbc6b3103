/** Runs: the Run sheet beside the curves, the Ledger under them. */
import { useState } from "react";
import type { Recipe } from "../../api/client";
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
  const pictureIds = (params.get("pictures") ?? "").split(",").map(Number).filter(Boolean).slice(0, 24);
  const bench = {
    projectId: project.id,
    classes,
    recipe,
    pictureIds,
    onRecipe: setChanged,
    onBack: () => setAddress({ part: undefined }),
  };
  if (part === "variation") return <VariationBench {...bench} split={split?.id} />;
  if (part === "preprocessing") return <PreprocessingBench {...bench} />;
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
        {shown ? (
          <>
            <RunView run={shown} key={shown.id} />
            <Ledger
              projectId={project.id}
              shown={shown}
              onShow={(run) => setAddress({ run: String(run.id) })}
            />
          </>
        ) : (
          <NoRun pictures={project.pictures} />
        )}
      </div>
      {dividing && <Dividing onClose={() => setDividing(false)} />}
    </div>
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
