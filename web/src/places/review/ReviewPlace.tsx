/** Review: judge a run's errors; the matrix feeds the pictures, and labels are mended right there. */
import { Link } from "react-router";
import type { Run, SetName } from "../../api/client";
import { useJudgement } from "../../api/queries";
import { useAddress, usePlace } from "../../app/context";
import { jobWords } from "../../domain/jobs";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Empty, Failed, Reading } from "../../parts/States";
import { useLook } from "../useLook";
import { Errors } from "./Errors";
import { Verdict } from "./Verdict";

export function ReviewPlace() {
  const { run, runs } = usePlace();
  if (!run) {
    const running = runs.some((entry) => entry.state === "running" || entry.state === "waiting");
    return (
      <Empty title={running ? "The first run is not judged yet" : "Nothing to judge yet"}>
        <p className="mb-4">
          {running
            ? "It is judged on its validation pictures when its training ends."
            : "Train a run; its errors on the validation pictures show here, the most surprising first."}
        </p>
        <Link to="../runs" className="text-choice underline">
          Go to Runs
        </Link>
      </Empty>
    );
  }
  return <Judged run={run} key={run.id} />;
}

function Judged({ run }: { run: Run }) {
  const [params, setAddress] = useAddress();
  const { look, judging, take } = useLook(run, "review");
  // A test address that was reloaded or sent shows validation again: a look is counted only by asking for it.
  const set: SetName = params.get("set") === "test" && look !== undefined ? "test" : "validation";
  const judgement = useJudgement(run.id, set, judging ? undefined : look);

  const openTest = async () => {
    if (await take()) setAddress({ set: "test", cells: undefined });
  };

  if (run.state === "running" && !run.judgements.validation) {
    return (
      <Empty title={`Run ${run.number} is still training`}>
        <p>Its errors show here when it ends, or when you stop it.</p>
      </Empty>
    );
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-4 border-b border-hairline px-4 py-1.5">
        {judgement.data ? <Verdict set={set} judgement={judgement.data} /> : <span />}
        <div className="ml-auto flex items-center gap-3">
          {set === "test" && <span className="text-quiet">looked at {plural(run.looks, "time")}</span>}
          {set === "test" ? (
            <Button onClick={() => setAddress({ set: undefined, cells: undefined })}>
              Back to validation
            </Button>
          ) : (
            <Button
              onClick={() => void openTest()}
              title="Validation chooses, test judges: each look at the test set is counted"
            >
              Look at the test set <span className="text-quiet">({run.looks} so far)</span>
            </Button>
          )}
        </div>
      </div>
      {judging && !judgement.data ? (
        <p role="status" className="p-10 text-center text-quiet">
          {jobWords(judging)} …
        </p>
      ) : judgement.isPending ? (
        <Reading what="the scores" />
      ) : !judgement.data ? (
        <Failed error={judgement.error} onRetry={() => void judgement.refetch()} />
      ) : (
        <Errors run={run} set={set} look={look} judgement={judgement.data} />
      )}
    </div>
  );
}
