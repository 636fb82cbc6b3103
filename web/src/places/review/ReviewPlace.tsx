/** Review: judge a run's errors; the matrix feeds the pictures, and labels are mended right there. */
import { Link } from "react-router";
import type { Model, Run, SetName } from "../../api/client";
import { useJobs } from "../../api/queries";
import { useJudgedSets, useJudgement } from "../../api/runQueries";
import { useAddress, usePlace } from "../../app/context";
import { isActive, jobWords } from "../../domain/jobs";
import { isUnderWay } from "../../domain/runs";
import { duration, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { Digest } from "../../parts/Digest";
import { ProgressBar } from "../../parts/ProgressBar";
import { Empty, Failed, Reading } from "../../parts/States";
import { NothingYet } from "../head/NothingYet";
import { useLook } from "../looks/useLook";
import { Compare } from "./Compare";
import { Errors } from "./Errors";
import { HowSure } from "./HowSure";
import { JudgeAgain } from "./JudgeAgain";
import { TrainAgain } from "./TrainAgain";
import { Verdict } from "./Verdict";

export function ReviewPlace() {
  const { run } = usePlace();
  if (!run)
    return (
      <NothingYet
        title="Nothing to judge yet"
        words="The errors of a run on its validation pictures show here, the most surprising first."
      />
    );
  if (isUnderWay(run)) return <StillTraining run={run} />;
  if (!run.model) {
    return (
      <Empty title={`Run ${run.number} kept nothing`}>
        <p className="mb-4">It ended before its first epoch was done, so there is nothing to judge.</p>
        <Link to="../runs" className="text-choice underline">
          Choose another run
        </Link>
      </Empty>
    );
  }
  if (!run.validation)
    return (
      <JudgeAgain
        model={run.model}
        set="validation"
        title={`Run ${run.number} is not judged yet`}
        words="It ended without being judged. Judging asks it about its validation pictures again."
      />
    );
  return <Judged run={run} model={run.model} key={run.model.id} />;
}

function StillTraining({ run }: { run: Run }) {
  const { data: jobs = [] } = useJobs();
  const job = jobs.find((entry) => isActive(entry) && entry.kind === "train" && entry.subject_id === run.id);
  return (
    <Empty title={`Run ${run.number} is still training`}>
      <p className="mb-3">Its errors show here when it ends, or when you stop it.</p>
      {job && (
        <div role="status" className="mx-auto mb-3 flex w-80 items-center gap-3">
          <ProgressBar done={job.done} total={job.total} label={`Run ${run.number}`} />
          {job.left_s !== null && <span className="whitespace-nowrap">{duration(job.left_s)} left</span>}
        </div>
      )}
      <Link to={{ pathname: "../runs", search: `?run=${run.id}` }} className="text-choice underline">
        Watch run {run.number}
      </Link>
    </Empty>
  );
}

function shownSet(asked: string | null, look: number | undefined): SetName {
  if (asked === "test" && look !== undefined) return "test";
  return asked === "training" ? asked : "validation";
}

const SETS = [
  { value: "validation", label: "Validation" },
  { value: "training", label: "Training", title: "The pictures that it learnt from" },
];
const VIEWS = [
  { value: "errors", label: "Errors" },
  { value: "sure", label: "How sure" },
  { value: "compare", label: "Compare" },
];

function Judged({ run, model }: { run: Run; model: Model }) {
  const [params, setAddress] = useAddress();
  const { look, judging, take } = useLook(model, "review");
  // A test address that was reloaded or sent shows validation again: a look is counted only by asking for it.
  const set = shownSet(params.get("set"), look);
  const judged = useJudgedSets(model.id);
  // Validation was, or Review would not be open; the test set is judged by the look.
  const known = set !== "training" || judged.data?.some((entry) => entry.set === set);
  const judgement = useJudgement(model.id, set, judging ? undefined : look, known ?? false);

  const view = params.get("view") ?? "errors";
  const View = view === "sure" ? HowSure : Errors;

  const openTest = async () => {
    if (await take()) setAddress({ set: "test", cells: undefined });
  };

  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-4 border-b border-hairline px-4 py-1.5">
        {judgement.data ? (
          <Verdict set={set} judgement={judgement.data} tested={Boolean(run.counts.test)} />
        ) : (
          <span />
        )}
        <Digest model={model} />
        <div className="ml-auto flex items-center gap-3">
          <Choice<string>
            label="Show"
            hideLabel
            value={view}
            onChange={(next) => setAddress({ view: next === "errors" ? undefined : next })}
            options={VIEWS}
          />
          <TrainAgain run={run} />
          {set === "test" && <span className="text-quiet">looked at {plural(model.looks, "time")}</span>}
          {set !== "test" && view !== "compare" && (
            <Choice<string>
              label="Set"
              hideLabel
              value={set}
              onChange={(name) =>
                setAddress({ set: name === "training" ? name : undefined, cells: undefined })
              }
              options={SETS}
            />
          )}
          {set === "test" ? (
            <Button onClick={() => setAddress({ set: undefined, cells: undefined })}>
              Back to validation
            </Button>
          ) : (
            <Button
              onClick={() => void openTest()}
              disabled={!run.counts.test}
              title="Validation chooses, test judges: each look at the test set is counted"
            >
              Look at the test set <span className="text-quiet">({model.looks} so far)</span>
            </Button>
          )}
        </div>
      </div>
      {view === "compare" ? (
        <Compare run={run} />
      ) : judging && !judgement.data ? (
        <p role="status" className="p-10 text-center text-quiet">
          {jobWords(judging)} …
        </p>
      ) : known === false && set === "training" ? (
        <JudgeAgain
          model={model}
          set={set}
          title="Not judged on its training pictures"
          words="Most wrong labels are among them: what a network gets wrong that it has learnt is worth a look."
        />
      ) : judgement.isPending ? (
        <Reading what="the scores" />
      ) : !judgement.data ? (
        <Failed error={judgement.error} onRetry={() => void judgement.refetch()} />
      ) : (
        <View model={model} set={set} look={look} judgement={judgement.data} />
      )}
    </div>
  );
}
