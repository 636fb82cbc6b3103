/** Runs: the Run sheet across the top, then the run on show, what it stood on and its curves, and the Ledger. */
import { useState } from "react";
import type { ClassOf, Recipe, Run, Setting } from "../../api/client";
import { useDefaultRecipe, useEndingTrial, useTrainingSettings } from "../../api/runQueries";
import { useStarters, useStartPlan } from "../../api/startQueries";
import { useAddress, usePlace } from "../../app/context";
import { lessonOf } from "../../domain/network";
import { wasTrained } from "../../domain/runs";
import { fromNothing, proposedStarter, recipeOf } from "../../domain/start";
import { stoodOn } from "../../domain/stoodOn";
import { mayEndEarly } from "../../domain/trainingSettings";
import { Button } from "../../parts/Button";
import { Failed, Reading } from "../../parts/States";
import { NothingYet } from "../head/NothingYet";
import { PlanList } from "../plans/PlanList";
import { Planning } from "../plans/Planning";
import { PlanPlace } from "../plans/PlanPlace";
import { DivideSheet } from "../sets/DivideSheet";
import { FirstQuestions } from "./FirstQuestions";
import { Ledger } from "./Ledger";
import { NetworkBench } from "./NetworkBench";
import { NetworkFileBench } from "./NetworkFileBench";
import { PreprocessingBench } from "./PreprocessingBench";
import { Queue } from "./Queue";
import { RunSheet } from "./RunSheet";
import { RunView } from "./RunView";
import { StartBench } from "./StartBench";
import type { RunTitle } from "./StartCell";
import { StoodOn } from "./StoodOn";
import { useNetworkShown } from "./useNetworkShown";
import { useTraining } from "./useTraining";
import { useTrainingBase } from "./useTrainingBase";
import { VariationBench } from "./VariationBench";
import { WatchBench } from "./WatchBench";

const FIRST_RUN =
  "The band above holds everything that a training is made of; curves of training and validation show here while it runs.";
/** Of the defaults; how many pictures a set gets hardly depends on it. */
const FIRST_SEED = 1;
const isSame = (one: unknown, two: unknown) => JSON.stringify(one) === JSON.stringify(two);
const UNTITLED: RunTitle = { name: "", note: "" };

export function RunsPlace() {
  const { project, classes, split, runs, named } = usePlace();
  const [params, setAddress] = useAddress();
  const base = useTrainingBase(project.id, split, FIRST_SEED);
  const defaults = useDefaultRecipe(base?.sets.training ?? 0);
  const table = useTrainingSettings();
  const [changed, setChanged] = useState<Recipe>();
  const [title, setTitle] = useState<RunTitle>(UNTITLED);
  const [dividing, setDividing] = useState(false);
  const shown = named ?? runs[0];
  // What was changed here, else what the last run used that was a training, else the defaults.
  const last = runs.find(wasTrained);
  const recipe = changed ?? (last ? recipeOf(last) : defaults.data && fromNothing(defaults.data));
  const start = useStartPlan(project.id, recipe, base?.sets);
  const proposed = useProposedStarter(recipe, base?.sets.training ?? 0, classes);
  const trial = useEndingTrial(project.id, recipe?.settings, recipe?.start?.new_epochs ?? 0);
  const training = useTraining({
    projectId: project.id,
    recipe,
    table: table.data ?? [],
    splitId: split?.id,
    title,
    possible: project.pictures > 0 && table.data !== undefined,
    plan: start.plan,
    trial: recipe && mayEndEarly(recipe.settings) ? trial.data : undefined,
    first: runs.length === 0 && isSame(recipe?.variation, defaults.data?.variation),
    onStarted: (run) => {
      setTitle(UNTITLED);
      setAddress({ run: String(run.id) });
    },
  });

  const failed = [defaults, table].find((query) => query.isError);
  if (failed) return <Failed error={failed.error} onRetry={() => void failed.refetch()} />;
  if (!recipe || !table.data) return <Reading what="the Run sheet" />;
  const part = params.get("part");
  if (part === "start")
    return (
      <StartBench
        projectId={project.id}
        recipe={recipe}
        onRecipe={setChanged}
        sets={base?.sets}
        proposed={proposed}
        onBack={() => setAddress({ part: undefined })}
      />
    );
  if (part === "file")
    return (
      <NetworkFileBench
        onBack={() => setAddress({ part: undefined })}
        onDone={(run) => setAddress({ part: undefined, run: String(run.id) })}
      />
    );
  if (params.get("plan")) return <PlanPlace planId={Number(params.get("plan"))} onRecipe={setChanged} />;
  if (part === "plans")
    return (
      <PlanList
        projectId={project.id}
        onBack={() => setAddress({ part: undefined })}
        onPlan={() => setAddress({ part: "plan" })}
        onShow={(id) => setAddress({ part: undefined, plan: String(id) })}
      />
    );
  if (part === "plan")
    return (
      <Planning
        projectId={project.id}
        recipe={recipe}
        splitId={split?.id}
        onBack={() => setAddress({ part: undefined })}
        onBegun={(id) => setAddress({ part: undefined, plan: String(id) })}
      />
    );
  if (part === "watch") return <Watching recipe={recipe} onRecipe={setChanged} />;
  if (part === "variation" || part === "preprocessing" || part === "network")
    return <Ingredient part={part} recipe={recipe} onRecipe={setChanged} />;
  const sheet = { recipe, table: table.data, onRecipe: setChanged };
  return (
    <div className="flex h-full flex-col">
      <RunSheet
        {...sheet}
        project={project}
        classes={classes}
        split={split}
        training={training}
        start={start}
        trial={mayEndEarly(recipe.settings) ? trial.data : undefined}
        proposed={proposed}
        careful={proposed && !recipe.variation.operations.length ? defaults.data?.variation : undefined}
        title={title}
        onTitle={setTitle}
        onDivide={() => setDividing(true)}
        learning={part === "learning"}
        onOpen={(ingredient) => setAddress({ part: ingredient })}
        onPlan={() => setAddress({ part: "plan" })}
      />
      <Results {...sheet} shown={shown} />
      {(dividing || part === "divide") && (
        <Dividing
          onClose={() => {
            setDividing(false);
            if (part === "divide") setAddress({ part: undefined });
          }}
        />
      )}
      {training.asking && (
        <FirstQuestions
          recipe={recipe}
          onAnswered={(variation) => {
            setChanged({ ...recipe, variation });
            training.answered(variation);
          }}
          onPass={() => training.answered()}
          onClose={training.giveUp}
        />
      )}
    </div>
  );
}

/** While nothing was chosen to start from. */
function useProposedStarter(recipe: Recipe | undefined, training: number, classes: readonly ClassOf[]) {
  const { data: starters = [] } = useStarters();
  const used = classes.filter((entry) => entry.count > 0).length;
  return recipe && proposedStarter(starters, recipe.network, training, used);
}

function NetworkPage({ recipe, onRecipe }: Pick<IngredientProps, "recipe" | "onRecipe">) {
  const { project, split } = usePlace();
  const [, setAddress] = useAddress();
  const base = useTrainingBase(project.id, split, recipe.settings.seed);
  return (
    <NetworkBench
      projectId={project.id}
      recipe={recipe}
      onRecipe={onRecipe}
      onBack={() => setAddress({ part: undefined })}
      sets={base?.sets}
    />
  );
}

function Watching({ recipe, onRecipe }: Pick<IngredientProps, "recipe" | "onRecipe">) {
  const { project, split } = usePlace();
  const [, setAddress] = useAddress();
  const base = useTrainingBase(project.id, split, recipe.settings.seed);
  const network = useNetworkShown(project.id, recipe.network, lessonOf(recipe, base?.sets));
  return (
    <WatchBench
      projectId={project.id}
      recipe={recipe}
      layers={network?.watched ?? []}
      onRecipe={onRecipe}
      onBack={() => setAddress({ part: undefined })}
    />
  );
}

interface IngredientProps {
  part: "variation" | "preprocessing" | "network";
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
  if (part === "network") return <NetworkPage {...shared} />;
  return part === "variation" ? (
    <VariationBench {...bench} split={split?.id} />
  ) : (
    <PreprocessingBench {...bench} />
  );
}

interface ResultsProps {
  shown: Run | undefined;
  recipe: Recipe;
  table: readonly Setting[];
  onRecipe: (recipe: Recipe) => void;
}

function Results({ shown, ...sheet }: ResultsProps) {
  const { project } = usePlace();
  const [, setAddress] = useAddress();
  if (!shown)
    return (
      <div className="flex-1">
        <NothingYet title="No run yet" words={FIRST_RUN} />
        <p className="-mt-6 text-center">
          <Button kind="bare" onClick={() => setAddress({ part: "file" })}>
            Bring in a network from outside
          </Button>
          <Button kind="bare" onClick={() => setAddress({ part: "plans" })}>
            Plans of several runs
          </Button>
        </p>
      </div>
    );
  return (
    <>
      <RunView run={shown} key={shown.id} onRecipe={sheet.onRecipe}>
        <Ingredients run={shown} {...sheet} />
      </RunView>
      <Queue projectId={project.id} onShow={(id) => setAddress({ run: String(id) })} />
      <Ledger
        projectId={project.id}
        shown={shown}
        onShow={(run) => setAddress({ run: String(run.id) })}
        onNetworkFile={() => setAddress({ part: "file" })}
        onPlans={() => setAddress({ part: "plans" })}
      />
    </>
  );
}

/** What a run stood on, to be taken over to the Run sheet and back. */
function Ingredients({ run, recipe, table, onRecipe }: Omit<ResultsProps, "shown"> & { run: Run }) {
  const { split, splits } = usePlace();
  const [, setAddress] = useAddress();
  const [before, setBefore] = useState<{ recipe: Recipe; split: number | undefined }>();
  const hold = (taken: Recipe, splitId: number | null | undefined) => {
    onRecipe(taken);
    if (splits.some((entry) => entry.id === splitId)) setAddress({ split: String(splitId) });
  };
  return (
    <StoodOn
      run={run}
      parts={stoodOn(run, recipe, split, table)}
      onTakeOver={() => {
        setBefore({ recipe, split: split?.id });
        hold(recipeOf(run), run.split_id);
      }}
      onBack={
        before &&
        (() => {
          hold(before.recipe, before.split);
          setBefore(undefined);
        })
      }
    />
  );
}

function Dividing({ onClose }: { onClose: () => void }) {
  const { project, classes, splits, split, run } = usePlace();
  const [, setAddress] = useAddress();
  return (
    <DivideSheet
      projectId={project.id}
      classes={classes}
      splits={splits}
      split={split}
      accuracy={run?.validation?.accuracy}
      onClose={onClose}
      onDivided={(made) => setAddress({ split: String(made.id) })}
    />
  );
}
