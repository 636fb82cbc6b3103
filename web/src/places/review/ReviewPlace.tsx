/** Review: judge a run's errors; the matrix feeds the pictures, and labels are mended right there. */
import { Link } from "react-router";
import type { JudgedSet, Model, Run } from "../../api/client";
import { type Labels, useJudgedSets, useJudgement, useOutside } from "../../api/judgingQueries";
import { useJobs } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { isActive, jobWords } from "../../domain/jobs";
import { isUnderWay } from "../../domain/runs";
import { duration, plural } from "../../domain/words";
import { ProgressBar } from "../../parts/ProgressBar";
import { Empty, Failed, Reading } from "../../parts/States";
import { NothingYet } from "../head/NothingYet";
import { type Looking, useLook } from "../looks/useLook";
import { Compare } from "./Compare";
import { Errors } from "./Errors";
import { HowSure } from "./HowSure";
import { InShort } from "./InShort";
import { JudgeAgain } from "./JudgeAgain";
import { ReviewHead } from "./ReviewHead";
import { Unlabelled } from "./Unlabelled";
import { VerdictLine } from "./VerdictLine";

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

function shownSet(asked: string | null, look: number | undefined): JudgedSet {
  if (asked === "test" && look !== undefined) return "test";
  return asked === "training" || asked === "outside" || asked === "unlabelled" ? asked : "validation";
}

export type View = "errors" | "sure" | "compare";

function shownView(asked: string | null): View {
  return asked === "sure" || asked === "compare" ? asked : "errors";
}

function Judged({ run, model }: { run: Run; model: Model }) {
  const [params] = useAddress();
  const looking = useLook(model, "review");
  // A test address that was reloaded or sent shows validation again: a look is counted only by asking for it.
  const set = shownSet(params.get("set"), looking.look);
  const view = shownView(params.get("view"));
  return (
    <div className="flex h-full flex-col">
      <ReviewHead run={run} model={model} set={set} view={view} looking={looking} />
      {view === "compare" ? (
        <Compare run={run} />
      ) : set === "unlabelled" ? (
        <Asked model={model} set={set}>
          <Unlabelled model={model} />
        </Asked>
      ) : (
        <Asked model={model} set={set}>
          <Scored run={run} model={model} set={set} view={view} looking={looking} />
        </Asked>
      )}
    </div>
  );
}

const NOT_ASKED: Partial<Record<JudgedSet, { title: string; words: string }>> = {
  training: {
    title: "Not judged on its training pictures",
    words: "Most wrong labels are among them: what a network gets wrong that it has learnt is worth a look.",
  },
  outside: {
    title: "Not asked about pictures in no set",
    words: "Labelled pictures that came in or were labelled since it was trained.",
  },
  unlabelled: {
    title: "Not asked about unlabelled pictures",
    words: "What it says of them stands here, the least sure first, to be labelled.",
  },
};

/** What needs a set that was judged, or the way to judge it. */
function Asked({ model, set, children }: { model: Model; set: JudgedSet; children: React.ReactNode }) {
  const judged = useJudgedSets(model.id);
  const outside = useOutside(model.id);
  const words = NOT_ASKED[set];
  // Validation was, or Review would not be open; the test set is judged by the look.
  if (!words || judged.data?.some((entry) => entry.set === set)) return children;
  if (!judged.data || !outside.data) return <Reading what="what was judged" />;
  if (set === "training")
    return <JudgeAgain model={model} set="training" title={words.title} words={words.words} />;
  const count = set === "outside" ? outside.data.outside : outside.data.unlabelled;
  if (!count)
    return (
      <Empty title={set === "outside" ? "No labelled picture lies in no set" : "No picture is unlabelled"}>
        <p>
          What is in no set of this run, and not in the test set of another division, could be judged here.
        </p>
      </Empty>
    );
  return (
    <JudgeAgain
      model={model}
      set="outside"
      title={words.title}
      words={`${plural(count, "picture")}. ${words.words}`}
    />
  );
}

interface ScoredProps {
  run: Run;
  model: Model;
  set: JudgedSet;
  view: View;
  looking: Looking;
}

function Scored({ run, model, set, view, looking }: ScoredProps) {
  const [params] = useAddress();
  const { judging } = looking;
  const look = judging ? undefined : looking.look;
  const asked: Labels = view === "errors" && params.get("labels") === "today" ? "today" : "then";
  const then = useJudgement(model.id, set, look);
  const today = useJudgement(model.id, set, look, view === "errors", "today");
  // Where nothing is labelled today that it knows, there is nothing to switch to.
  const labels: Labels = asked === "today" && today.data !== null ? "today" : "then";
  const judgement = labels === "today" ? today : then;
  const ViewOf = view === "sure" ? HowSure : Errors;
  if (judging && !judgement.data)
    return (
      <p role="status" className="p-10 text-center text-quiet">
        {jobWords(judging)} …
      </p>
    );
  if (judgement.isPending) return <Reading what="the scores" />;
  if (!judgement.data) return <Failed error={judgement.error} onRetry={() => void judgement.refetch()} />;
  return (
    <>
      <VerdictLine
        {...{ model, set, labels }}
        judgement={judgement.data}
        today={today.data ?? undefined}
        tested={Boolean(run.counts.test)}
      />
      {view === "errors" && labels === "then" && (
        <InShort model={model} set={set} look={look} known={today.isFetched} />
      )}
      <ViewOf model={model} set={set} look={look} judgement={judgement.data} labels={labels} />
    </>
  );
}
