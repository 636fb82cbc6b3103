/** Runs: the Run sheet beside the curves, the Ledger under them. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { client, type Job, need, type Recipe, type Run } from "../../api/client";
import { useIngredients } from "../../api/ingredientQueries";
import { useDefaultRecipe, useJobs } from "../../api/queries";
import { namedIn, useAddress, usePlace } from "../../app/context";
import { curveWords, gapWords } from "../../domain/curves";
import { isActive, isPutOff, jobWords } from "../../domain/jobs";
import { sameValue } from "../../domain/variation";
import { duration, plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { Empty, Reading } from "../../parts/States";
import { DivideSheet } from "../rows/DivideSheet";
import { CurveLegend, Curves } from "./Curves";
import { Ledger } from "./Ledger";
import { PreprocessingBench } from "./PreprocessingBench";
import { RunSheet } from "./RunSheet";
import { VariationBench } from "./VariationBench";

export function RunsPlace() {
  const { project, classes, splits, split, runs } = usePlace();
  const [params, setAddress] = useAddress();
  const defaults = useDefaultRecipe();
  const { data: variations = [] } = useIngredients(project.id, "variation");
  const { data: preprocessings = [] } = useIngredients(project.id, "preprocessing");
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [changed, setChanged] = useState<Recipe>();
  const [dividing, setDividing] = useState(false);
  const [busy, setBusy] = useState(false);
  const shown = namedIn(runs, params.get("run")) ?? runs[0];
  // What was changed here, else what the last run used, else the defaults.
  const recipe = changed ?? runs[0]?.recipe ?? defaults.data;

  const train = async () => {
    if (!recipe) return;
    setBusy(true);
    try {
      const run = await need(
        client.POST("/api/projects/{project_id}/runs", {
          params: { path: { project_id: project.id } },
          body: {
            recipe,
            split_id: split?.id ?? null,
            variation_id: variations.find((entry) => sameValue(entry.value, recipe.variation))?.id ?? null,
            preprocessing_id:
              preprocessings.find((entry) => sameValue(entry.value, recipe.preprocessing))?.id ?? null,
          },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["runs"] });
      setAddress({ run: String(run.id) });
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) void train();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  if (!recipe) return <Reading what="the Run sheet" />;
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
          onRecipe={setChanged}
          onDivide={() => setDividing(true)}
          learning={part === "learning"}
          onOpen={(part) => setAddress({ part })}
          onTrain={() => void train()}
          busy={busy || !project.pictures}
        />
      </aside>
      <div className="flex min-w-0 flex-1 flex-col">
        {shown ? (
          <>
            <RunView run={shown} />
            <div className="max-h-[26%] min-h-[90px] shrink-0 overflow-auto border-t border-hairline">
              <Ledger runs={runs} shown={shown} onShow={(run) => setAddress({ run: String(run.id) })} />
            </div>
          </>
        ) : (
          <Empty title="No run yet">
            <p>
              {project.pictures
                ? "Press Train: the defaults are sound. Curves of training and validation show here while it runs."
                : "Bring in pictures first; then Train works with the defaults."}
            </p>
          </Empty>
        )}
      </div>
      {dividing && (
        <DivideSheet
          projectId={project.id}
          classes={classes}
          splits={splits}
          split={split}
          onClose={() => setDividing(false)}
          onDivided={(made) => setAddress({ split: String(made.id) })}
        />
      )}
    </div>
  );
}

function RunView({ run }: { run: Run }) {
  const { data: jobs = [] } = useJobs();
  const { fail } = useNotices();
  const queries = useQueryClient();
  const job = jobs.filter((entry) => entry.kind === "train" && entry.subject_id === run.id).at(-1);
  const judged = run.judgements.validation;
  const stop = (active: Job) =>
    need(client.POST("/api/jobs/{job_id}/stop", { params: { path: { job_id: active.id } } }))
      .then(() => queries.invalidateQueries({ queryKey: ["jobs"] }))
      .catch(fail);
  return (
    <section
      className="flex min-h-0 flex-1 flex-col overflow-y-auto px-5 pt-3 pb-1"
      aria-label={`Run ${run.number}`}
    >
      <div className="flex items-center gap-4">
        <h2 className="shrink-0 text-xl font-semibold">Run {run.number}</h2>
        {job && isActive(job) ? (
          <div className="flex flex-1 items-center gap-3" role="status" data-testid="run-progress">
            <span className={isPutOff(job) ? "min-w-0 flex-1 text-wrong" : "whitespace-nowrap"}>
              {run.state === "running" && job.stage === "Training"
                ? `Epoch ${Math.min(run.epochs.length + 1, run.recipe.settings.epochs)} of ${run.recipe.settings.epochs}${
                    job.left_s === null ? "" : `, ${duration(job.left_s)} left`
                  }`
                : jobWords(job)}
            </span>
            {!isPutOff(job) && <ProgressBar done={job.done} total={job.total} label={`Run ${run.number}`} />}
            <Button disabled={job.stop_asked} onClick={() => void stop(job)}>
              {job.stop_asked ? "Stopping …" : "Stop"}
            </Button>
          </div>
        ) : (
          judged && (
            <p data-testid="run-result">
              <b className="text-lg">{score(judged.accuracy)}</b> on{" "}
              {plural(judged.count, "validation picture")}{" "}
              <Link
                to={{ pathname: "../review", search: `?run=${run.id}` }}
                className="ml-2 text-choice underline"
              >
                Review its {judged.count - judged.right} errors
              </Link>
            </p>
          )
        )}
      </div>
      {job?.state === "failed" && (
        <p role="alert" className="mt-1 text-wrong">
          {jobWords(job)}
        </p>
      )}
      <div className="mt-0.5 flex items-start justify-between gap-4">
        <p className="text-quiet">
          {run.ended_because
            ? `${run.ended_because} ${gapWords(run.epochs)}`
            : curveWords(run.epochs, run.kept_epoch)}
        </p>
        <span className="shrink-0">
          <CurveLegend />
        </span>
      </div>
      <div className="mt-2 flex min-h-0 gap-4">
        <Curves
          epochs={run.epochs}
          planned={run.recipe.settings.epochs}
          kept={run.kept_epoch}
          measure="loss"
        />
        <Curves
          epochs={run.epochs}
          planned={run.recipe.settings.epochs}
          kept={run.kept_epoch}
          measure="accuracy"
        />
      </div>
      {run.epochs.length > 0 && <EpochTable run={run} />}
    </section>
  );
}

function EpochTable({ run }: { run: Run }) {
  return (
    <details className="mt-1 mb-2">
      <summary className="cursor-pointer text-quiet">Figures of every epoch</summary>
      <table className="mt-1 w-full font-mono text-sm">
        <thead>
          <tr className="text-right text-quiet">
            <th className="font-normal">epoch</th>
            <th className="font-normal">training loss</th>
            <th className="font-normal">validation loss</th>
            <th className="font-normal">training accuracy</th>
            <th className="font-normal">validation accuracy</th>
            <th className="font-normal">rate</th>
          </tr>
        </thead>
        <tbody>
          {run.epochs.map((epoch) => (
            <tr
              key={epoch.number}
              className={`text-right ${epoch.number === run.kept_epoch ? "font-bold" : ""}`}
            >
              <td>{epoch.number}</td>
              <td>{score(epoch.training_loss)}</td>
              <td>{score(epoch.validation_loss)}</td>
              <td>{score(epoch.training_accuracy)}</td>
              <td>{score(epoch.validation_accuracy)}</td>
              <td>{epoch.learning_rate.toPrecision(2)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
