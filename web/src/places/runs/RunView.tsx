/** The run on show: how far it is or how it ended, its curves, and its figures epoch by epoch. */
import { useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { client, type Epoch, type Job, need, type Recipe, type Run } from "../../api/client";
import { useJobs } from "../../api/queries";
import { useEpochs, useLookouts } from "../../api/runQueries";
import { useAddress, usePlace } from "../../app/context";
import { besideBefore } from "../../domain/compare";
import { curveWords, gapWords } from "../../domain/curves";
import { isActive, isPutOff, jobWords, paceWords } from "../../domain/jobs";
import { endingWords, runTitle } from "../../domain/runs";
import { thawedAt } from "../../domain/start";
import { duration, plural, score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Digest } from "../../parts/Digest";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { Failed } from "../../parts/States";
import { CurvePair } from "./CurvePair";
import { CurveLegend } from "./Curves";
import { FoundList } from "./Lookouts";
import { isBroken, RunMenu, useGoOn } from "./RunMenu";
import { Together } from "./Together";

interface Props {
  run: Run;
  /** Lays a recipe onto the Run sheet. */
  onRecipe: (recipe: Recipe) => void;
  /** What it stood on. */
  children: ReactNode;
}

export function RunView({ run, onRecipe, children }: Props) {
  const { data: jobs = [] } = useJobs();
  const epochs = useEpochs(run.id);
  const job = jobs.filter((entry) => entry.kind === "train" && entry.subject_id === run.id).at(-1);
  const figures = epochs.data ?? [];
  const watched = useLookouts(run.id);
  const lookouts = watched.data?.lookouts ?? [];
  // One that ended before its first epoch has nothing to draw.
  const drawn = figures.length > 0 || run.state !== "ended";
  return (
    <section className="flex min-h-0 flex-1 flex-col overflow-y-auto" aria-label={`Run ${run.number}`}>
      <div className="flex items-center gap-4 px-5 pt-2">
        <h2 className="min-w-0 shrink truncate text-xl font-semibold" title={runTitle(run)}>
          {runTitle(run)}
        </h2>
        {job && isActive(job) ? <UnderWay run={run} job={job} /> : <Result run={run} />}
        <span className="ml-auto flex gap-2">
          {run.trial !== null && run.group_id !== null && <ToPlan planId={run.group_id} />}
          {isBroken(run) && <GoOn run={run} />}
          <RunMenu run={run} onRecipe={onRecipe} />
        </span>
      </div>
      <div className="mt-0.5 mb-1.5 flex items-start justify-between gap-4 px-5">
        <RunWords run={run} epochs={figures} turned={watched.data?.turned} />
        {drawn && (
          <span className="shrink-0">
            <CurveLegend />
          </span>
        )}
      </div>
      {children}
      {run.ending?.together && <Together found={run.ending.together} />}
      <FoundList run={run} lookouts={lookouts} onRecipe={onRecipe} />
      {epochs.isError ? (
        <Failed error={epochs.error} onRetry={() => void epochs.refetch()} />
      ) : drawn ? (
        <CurvePair
          run={run}
          epochs={figures}
          turned={watched.data?.turned}
          lookouts={lookouts}
          job={job && isActive(job) ? job : undefined}
        />
      ) : null}
      {figures.length > 0 && <EpochTable run={run} epochs={figures} />}
    </section>
  );
}

/** Back to what the run is a part of. */
function ToPlan({ planId }: { planId: number }) {
  const [, setAddress] = useAddress();
  return (
    <Button onClick={() => setAddress({ run: undefined, part: undefined, plan: String(planId) })}>
      ‹ Its plan
    </Button>
  );
}

interface WordsProps {
  run: Run;
  epochs: readonly Epoch[];
  turned: number | null | undefined;
}

/** What was stopped or failed is most often wanted to go on. */
function GoOn({ run }: Pick<Props, "run">) {
  const goOn = useGoOn(run);
  return <Button onClick={goOn}>{run.ended_by === "failed" ? "Try again" : "Go on"}</Button>;
}

function RunWords({ run, epochs, turned }: WordsProps) {
  const { runs } = usePlace();
  const before = runs.find((entry) => entry.number === run.previous);
  return (
    <div className="min-w-0">
      <p
        className={run.ended_by === "failed" ? "text-wrong" : "text-quiet"}
        role={run.ended_by === "failed" ? "alert" : undefined}
        data-testid="run-words"
      >
        {runWords(run, epochs, turned, before)}
      </p>
      {run.note && (
        <p className="line-clamp-2 italic" title={run.note} data-testid="run-note">
          {run.note}
        </p>
      )}
    </div>
  );
}

function runWords(
  run: Run,
  epochs: readonly Epoch[],
  turned: number | null | undefined,
  before: Run | undefined,
): string {
  if (run.state === "ended")
    return [endingWords(run), besideBefore(run, before), gapWords(epochs)].filter(Boolean).join(" ");
  if (run.state === "resting")
    return `It rests after epoch ${run.epochs_done} until its plan says whether it goes on.`;
  return run.state === "waiting" && !epochs.length
    ? "It has not begun."
    : curveWords(epochs, run.model?.epoch ?? null, turned);
}

function UnderWay({ run, job }: { run: Run; job: Job }) {
  const { fail } = useNotices();
  const queries = useQueryClient();
  const { epochs } = run.recipe.settings;
  const [now, thawed] = [Math.min(run.epochs_done + 1, epochs), thawedAt(run.recipe)];
  const left = job.left_s === null ? "" : `, ${duration(job.left_s)} left`;
  const trains = run.state === "training" && job.state === "running" && job.stage.startsWith("Training");
  const early = job.stage === "Training, to an early end";
  const stop = () =>
    need(client.POST("/api/jobs/{job_id}/stop", { params: { path: { job_id: job.id } } }))
      .then(() => queries.invalidateQueries({ queryKey: ["jobs"] }))
      .catch(fail);
  return (
    <div className="flex flex-1 items-center gap-3" role="status" data-testid="run-progress">
      <span className={isPutOff(job) ? "min-w-0 flex-1 text-wrong" : "whitespace-nowrap"}>
        {trains
          ? `Epoch ${now}${early ? ", to an early end" : ` of ${epochs}`}${thawed && now < thawed ? ", only new layers learn" : ""}${left}${paceWords(job, run.recipe.settings.batch_size)}`
          : jobWords(job)}
      </span>
      {!isPutOff(job) && <ProgressBar done={job.done} total={job.total} label={`Run ${run.number}`} />}
      <Button disabled={job.stop_asked} onClick={() => void stop()}>
        {job.stop_asked ? "Stopping …" : "Stop"}
      </Button>
    </div>
  );
}

function Result({ run }: { run: Run }) {
  const judged = run.validation;
  if (run.repeats && run.model)
    return (
      <p data-testid="run-result">
        Learnt from all {plural(run.counts.training ?? 0, "picture")} that are not in test.{" "}
        <Link
          to={{ pathname: "../release", search: `?run=${run.id}` }}
          className="mx-2 text-choice underline"
        >
          Try it and hand it over
        </Link>
        <Digest model={run.model} />
      </p>
    );
  if (!judged || !run.model) return null;
  return (
    <p data-testid="run-result">
      <b className="text-lg">{score(judged.accuracy)}</b> on {plural(judged.count, "validation picture")}{" "}
      <Link to={{ pathname: "../review", search: `?run=${run.id}` }} className="mx-2 text-choice underline">
        Review its {judged.count - judged.right} errors
      </Link>
      <Digest model={run.model} />
    </p>
  );
}

const COLUMNS = [
  ["training_loss", "training loss"],
  ["validation_loss", "validation loss"],
  ["training_accuracy", "training accuracy"],
  ["validation_accuracy", "validation accuracy"],
  ["validation_macro_f1", "macro F1"],
] as const;

function EpochTable({ run, epochs }: { run: Run; epochs: readonly Epoch[] }) {
  const kept = run.model?.epoch ?? null;
  const columns = COLUMNS.filter(([name]) => epochs.some((epoch) => epoch.figures[name] !== undefined));
  return (
    <details className="mt-1 mb-2 px-5">
      <summary className="cursor-pointer text-quiet">Figures of every epoch</summary>
      <a href={`/api/runs/${run.id}/epochs.csv`} className="text-sm text-choice underline" download>
        as CSV, with the recall of each class
      </a>
      <a href={`/api/runs/${run.id}/layers.csv`} className="ml-4 text-sm text-choice underline" download>
        what the layers did, as CSV
      </a>
      <table className="mt-1 w-full font-mono text-sm">
        <thead>
          <tr className="text-right text-quiet">
            <th className="font-normal">epoch</th>
            {columns.map(([name, words]) => (
              <th key={name} className="font-normal">
                {words}
              </th>
            ))}
            <th className="font-normal">rate</th>
          </tr>
        </thead>
        <tbody>
          {epochs.map((epoch) => (
            <tr key={epoch.number} className={`text-right ${epoch.number === kept ? "font-bold" : ""}`}>
              <td>{epoch.number}</td>
              {columns.map(([name]) => (
                <td key={name}>{epoch.figures[name] === undefined ? "–" : score(epoch.figures[name])}</td>
              ))}
              <td>{epoch.figures.learning_rate?.toPrecision(2) ?? "–"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
