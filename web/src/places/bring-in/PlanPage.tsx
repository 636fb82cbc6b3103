/** The reading plan: at the left how the source is read, beside it the classes as rows, as they would come in. */
import type { Import, Job, Survey } from "../../api/client";
import { planWords } from "../../domain/plan";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Reading } from "../../parts/States";
import { PlaceHead } from "../head/PlaceHead";
import { useImportActions } from "./PastImport";
import { PlanRows } from "./PlanRows";
import { ReadingChooser } from "./ReadingChooser";
import { usePlanning } from "./usePlanning";

interface Props {
  entry: Import;
  survey: Survey;
  job: Job | undefined;
}

export function PlanPage({ entry, survey, job }: Props) {
  const { choice, setChoice, plan, busy, stale, problem, ready, start } = usePlanning(entry, survey);
  const { giveUp } = useImportActions(entry);
  return (
    <section className="flex h-full flex-col" aria-label="Reading plan">
      <PlaceHead title={entry.source_name}>
        {plan && <span data-testid="plan-words">{planWords(plan)}</span>}
        <Button onClick={() => void giveUp()}>Forget it</Button>
        <Button kind="main" disabled={!ready} title="Ctrl + Enter" onClick={start}>
          Bring in {plan ? plural(plan.chosen, "file") : ""}
        </Button>
      </PlaceHead>
      <div className="flex min-h-0 flex-1">
        <div className="w-[290px] shrink-0 overflow-y-auto border-r border-hairline px-4 py-3">
          <ReadingChooser
            survey={survey}
            choice={choice}
            examples={plan?.examples ?? []}
            problem={problem}
            onChoice={setChoice}
          />
        </div>
        <div className="min-w-0 flex-1 overflow-y-auto" data-testid="plan" aria-busy={busy}>
          {entry.report && <LastEnd job={job} />}
          {!plan && !problem && <Reading what="the plan" />}
          {!plan && problem && (
            <p className="p-6 text-wrong">Mend the reading at the left to see the plan.</p>
          )}
          {plan && <PlanRows {...{ entry, survey, plan, choice, stale }} onChoice={setChoice} />}
        </div>
      </div>
    </section>
  );
}

/** How the import that was begun before came to its end. */
function LastEnd({ job }: { job: Job | undefined }) {
  if (job?.state === "failed")
    return (
      <p role="alert" className="border-b border-hairline bg-wrong-wash px-4 py-2">
        {job.error} What came in stays; bring in again to go on.
      </p>
    );
  if (job?.state === "stopped")
    return (
      <p className="border-b border-hairline px-4 py-2">
        Stopped by hand. What came in stays; bring in again to go on.
      </p>
    );
  return null;
}
