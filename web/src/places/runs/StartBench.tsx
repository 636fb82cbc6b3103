/** Where a training starts from, laid over the curves: the sources at the left, beside them what would learn when. */
import { useState } from "react";
import { asProblemOf, type Recipe, type Starter } from "../../api/client";
import { readStart, useStartPlan } from "../../api/startQueries";
import { fromNothing, type Start, type StartSource, startedFrom } from "../../domain/start";
import { Reading } from "../../parts/States";
import { Bench } from "./Bench";
import { StartLayers } from "./StartLayers";
import { StartLearning } from "./StartLearning";
import { StartSources } from "./StartSources";

interface Props {
  projectId: number;
  recipe: Recipe;
  onRecipe: (recipe: Recipe) => void;
  sets: { readonly training: number; readonly validation: number } | undefined;
  proposed: Starter | undefined;
  onBack: () => void;
}

export function StartBench({ projectId, recipe, onRecipe, sets, proposed, onBack }: Props) {
  const { plan, problem } = useStartPlan(projectId, recipe, sets);
  const [reading, setReading] = useState("");
  const [failed, setFailed] = useState("");
  const choose = (source: StartSource, words: string) => {
    setReading(words);
    setFailed("");
    return readStart(source)
      .then((facts) => onRecipe(startedFrom(recipe, source, facts)))
      .catch((error: unknown) => setFailed(asProblemOf(error).message))
      .finally(() => setReading(""));
  };
  const change = (start: Start) => onRecipe({ ...recipe, start });
  const { start } = recipe;
  return (
    <Bench
      title="Start from"
      testId="start-bench"
      head={
        <p className="truncate text-quiet">{start ? start.words : "nothing: weights are drawn by chance"}</p>
      }
      settingsLabel="What it starts from"
      previewLabel="What would learn when"
      onBack={onBack}
      settings={
        <StartSources
          projectId={projectId}
          start={start}
          proposed={proposed}
          onNothing={() => onRecipe(fromNothing(recipe))}
          onSource={(source, words) => void choose(source, words)}
        />
      }
    >
      {failed && (
        <p role="alert" className="mb-3 text-wrong" data-testid="start-failed">
          {failed}
        </p>
      )}
      {reading ? (
        <Reading what={reading} />
      ) : !start ? (
        <Nothing />
      ) : (
        <>
          <StartLearning start={start} plan={plan} recipe={recipe} onStart={change} />
          {problem ? (
            <p role="alert" className="mt-4 text-wrong" data-testid="start-problem">
              {problem.message}
            </p>
          ) : (
            plan && <StartLayers plan={plan} recipe={recipe} onRecipe={onRecipe} />
          )}
        </>
      )}
    </Bench>
  );
}

function Nothing() {
  return (
    <div className="max-w-[560px] pt-6">
      <h3 className="text-lg font-semibold">From nothing</h3>
      <p className="mt-1 text-quiet">
        Weights are drawn by chance, and everything is learnt from the pictures of this project. With few
        pictures it is better to start from a network that has learnt something before: choose it at the left.
        What is taken over is shown here layer by layer before the training begins.
      </p>
    </div>
  );
}
