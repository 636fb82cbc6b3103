/** What a plan asks, how far it is, and its best answer; to pause it, add to it, stop it, and to go on after it. */
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { client, need, type Recipe, type RunPlan } from "../../api/client";
import { actOnPlan, type PlanAct, trainFinally } from "../../api/planQueries";
import { useAddress } from "../../app/context";
import {
  bestWords,
  leftWords,
  optimismWords,
  planStateWords,
  sortedTrials,
  trialValues,
} from "../../domain/plans";
import { recipeOf } from "../../domain/start";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { AddSheet } from "./AddSheet";
import { TogetherAsking } from "./TogetherAsking";

interface Props {
  plan: RunPlan;
  onShow: (runId: number) => void;
  onRecipe: (recipe: Recipe) => void;
}

export function PlanHead({ plan, onShow, onRecipe }: Props) {
  const [, setAddress] = useAddress();
  const best = plan.trials.find((trial) => trial.trial === plan.best);
  return (
    <header className="border-b border-hairline px-4 py-2">
      <div className="flex items-center gap-4">
        <Button onClick={() => setAddress({ plan: undefined, part: "plans" })}>‹ Plans</Button>
        <h2 className="min-w-0 truncate text-lg font-semibold" title={plan.question}>
          {plan.question}
        </h2>
        {plan.state === "ended" ? (
          <p className="min-w-0 flex-1 truncate text-quiet" data-testid="plan-ending" title={plan.ending}>
            {planStateWords(plan)}: {plan.ending}
          </p>
        ) : (
          <p className="flex min-w-0 flex-1 items-center gap-3" role="status" data-testid="plan-progress">
            <span className="whitespace-nowrap">{planStateWords(plan)}</span>
            <ProgressBar done={plan.epochs_done} total={plan.epochs_planned} label={plan.question} />
            <span className="whitespace-nowrap text-quiet">{leftWords(plan)}</span>
          </p>
        )}
        <Acts plan={plan} />
        {plan.kind === "folds" && best && <FinalTraining plan={plan} runId={best.run_id} onShow={onShow} />}
      </div>
      <Best plan={plan} onShow={onShow} onRecipe={onRecipe} />
    </header>
  );
}

function Acts({ plan }: { plan: RunPlan }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [busy, setBusy] = useState(false);
  const [adding, setAdding] = useState(false);
  const act = async (what: PlanAct) => {
    setBusy(true);
    await actOnPlan(queries, plan.id, what).catch(fail);
    setBusy(false);
  };
  return (
    <span className="flex gap-2">
      {plan.state === "running" && (
        <Button
          disabled={busy}
          title="Nothing more of it begins; what trains waits after its epoch"
          onClick={() => void act("pause")}
        >
          Pause
        </Button>
      )}
      {plan.state === "paused" && (
        <Button disabled={busy} onClick={() => void act("go-on")}>
          Go on
        </Button>
      )}
      {plan.kind === "trials" && <Button onClick={() => setAdding(true)}>Add trials</Button>}
      {plan.state !== "ended" && (
        <Button
          disabled={busy}
          title="It ends now; what was found by then is kept"
          onClick={() => void act("stop")}
        >
          Stop
        </Button>
      )}
      {adding && <AddSheet plan={plan} onClose={() => setAdding(false)} />}
    </span>
  );
}

function Best({ plan, onShow, onRecipe }: Props) {
  const best = plan.trials.find((trial) => trial.trial === plan.best);
  if (plan.ended_by === "failed")
    return (
      <p role="alert" className="mt-1 text-wrong">
        {plan.ending} {plan.mend}
      </p>
    );
  // What folds and copies came to stands below, as a picture.
  if (!best || plan.kind !== "trials") return null;
  return (
    <div className="mt-1 flex items-baseline gap-3" data-testid="plan-best">
      <p className="min-w-0 flex-1">
        <b>{plan.state === "ended" ? "Best: " : "Best so far: "}</b>
        <PressLine onPress={() => onShow(best.run_id)}>{best.name}</PressLine>, {trialValues(plan, best)}:{" "}
        {bestWords(plan)} <span className="text-quiet">{optimismWords(plan)}</span>
      </p>
      <TakeOver runId={best.run_id} name={best.name} onRecipe={onRecipe} />
      {plan.state === "ended" && <BestTogether plan={plan} />}
      <FinalTraining plan={plan} runId={best.run_id} onShow={onShow} />
    </div>
  );
}

function PressLine({ onPress, children }: { onPress: () => void; children: ReactNode }) {
  return (
    <button type="button" onClick={onPress} className="cursor-pointer text-choice underline">
      {children}
    </button>
  );
}

function TakeOver(props: { runId: number; name: string; onRecipe: (recipe: Recipe) => void }) {
  const { fail, say } = useNotices();
  const [, setAddress] = useAddress();
  const take = async () => {
    try {
      const run = await need(client.GET("/api/runs/{run_id}", { params: { path: { run_id: props.runId } } }));
      props.onRecipe(recipeOf(run));
      setAddress({ plan: undefined, part: undefined });
      say(`The Run sheet is set as ${props.name} was.`);
    } catch (error) {
      fail(error);
    }
  };
  return (
    <Button kind="bare" onClick={() => void take()}>
      Take over to the Run sheet
    </Button>
  );
}

/** Offers the trials with the whole budget to answer as one, the best three chosen. */
function BestTogether({ plan }: { plan: RunPlan }) {
  const [open, setOpen] = useState(false);
  const whole = sortedTrials(plan, "value", true).filter((trial) => trial.whole && trial.model_id !== null);
  if (whole.length < 2) return null;
  const candidates = whole.map((trial) => ({
    modelId: trial.model_id ?? 0,
    words: `${trial.name}, ${trialValues(plan, trial)}`,
    accuracy: trial.figures.validation_accuracy ?? null,
  }));
  return (
    <>
      <Button kind="bare" onClick={() => setOpen(true)}>
        Answer together
      </Button>
      {open && (
        <TogetherAsking
          projectId={plan.project_id}
          candidates={candidates}
          chosen={candidates.slice(0, 3).map((one) => one.modelId)}
          onClose={() => setOpen(false)}
        />
      )}
    </>
  );
}

function FinalTraining(props: { plan: RunPlan; runId: number; onShow: (runId: number) => void }) {
  const { plan, runId, onShow } = props;
  const { fail } = useNotices();
  const [busy, setBusy] = useState(false);
  const found = plan.found?.final;
  const open = async () => {
    try {
      const path = { project_id: plan.project_id };
      const query = { number: found ?? 0 };
      const page = await need(client.GET("/api/projects/{project_id}/runs", { params: { path, query } }));
      const run = page.runs[0];
      if (run) onShow(run.id);
    } catch (error) {
      fail(error);
    }
  };
  if (plan.kind === "copies" || plan.state !== "ended") return null;
  if (plan.found?.final_error) return <span className="text-wrong">{plan.found.final_error}</span>;
  if (found)
    return (
      <span className="whitespace-nowrap" data-testid="final-run">
        Its final training is <PressLine onPress={() => void open()}>run {found}</PressLine>
      </span>
    );
  const begin = async () => {
    setBusy(true);
    try {
      onShow((await trainFinally(runId)).id);
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return (
    <Button
      kind="main"
      disabled={busy}
      title="The same set-up once more, on training and validation pictures together; the test set stays shut"
      onClick={() => void begin()}
    >
      Final training
    </Button>
  );
}
