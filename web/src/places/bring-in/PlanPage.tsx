/** The reading plan: at the left how the source is read, beside it the classes as rows, as they would come in. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import {
  asProblemOf,
  type Choice,
  client,
  type Import,
  type Job,
  need,
  type Plan,
  type Survey,
} from "../../api/client";
import { usePlan } from "../../api/queries";
import { contentWords, EVERYTHING, planWords } from "../../domain/plan";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Reading } from "../../parts/States";
import { PlaceHead } from "../head/PlaceHead";
import { Skipped, useImportActions } from "./PastImport";
import { PlannedRow } from "./PlannedRow";
import { ReadingChooser } from "./ReadingChooser";

interface Props {
  entry: Import;
  survey: Survey;
  job: Job | undefined;
}

export function PlanPage({ entry, survey, job }: Props) {
  const proposed = { ...EVERYTHING, ...(entry.choice ?? survey.readings[0]?.choice) };
  const [choice, setChoice] = useState<Choice>(proposed);
  const plan = usePlan(entry.id, useSettled(choice));
  const queries = useQueryClient();
  const { giveUp } = useImportActions(entry);
  const { fail } = useNotices();
  const [asked, setAsked] = useState(false);
  const problem = plan.isError ? asProblemOf(plan.error) : undefined;
  const ready = plan.data !== undefined && !plan.isError && !plan.isPlaceholderData && plan.data.chosen > 0;

  const bringIn = async () => {
    if (!ready || asked) return;
    setAsked(true);
    try {
      await need(
        client.POST("/api/imports/{import_id}/bring-in", {
          params: { path: { import_id: entry.id } },
          body: choice,
        }),
      );
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      fail(error);
    }
    await queries.invalidateQueries({ queryKey: ["imports"] });
    setAsked(false);
  };

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      void bringIn();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  return (
    <section className="flex h-full flex-col" aria-label="Reading plan">
      <PlaceHead title={entry.source_name}>
        {plan.data && <span data-testid="plan-words">{planWords(plan.data)}</span>}
        <Button onClick={() => void giveUp()}>Forget it</Button>
        <Button kind="main" disabled={!ready || asked} title="Ctrl + Enter" onClick={() => void bringIn()}>
          Bring in {plan.data ? plural(plan.data.chosen, "file") : ""}
        </Button>
      </PlaceHead>
      <div className="flex min-h-0 flex-1">
        <div className="w-[290px] shrink-0 overflow-y-auto border-r border-hairline px-4 py-3">
          <ReadingChooser
            survey={survey}
            choice={choice}
            examples={plan.data?.examples ?? []}
            problem={problem}
            onChoice={setChoice}
          />
        </div>
        <div className="min-w-0 flex-1 overflow-y-auto" data-testid="plan" aria-busy={plan.isPlaceholderData}>
          {job?.state === "failed" && entry.report && (
            <p role="alert" className="border-b border-hairline bg-wrong-wash px-4 py-2">
              {job.error} What came in stays; bring in again to go on.
            </p>
          )}
          {job?.state === "stopped" && entry.report && (
            <p className="border-b border-hairline px-4 py-2">
              Stopped by hand. What came in stays; bring in again to go on.
            </p>
          )}
          {!plan.data && !problem && <Reading what="the plan" />}
          {!plan.data && problem && (
            <p className="p-6 text-wrong">Mend the reading at the left to see the plan.</p>
          )}
          {plan.data && (
            <PlanRows
              entry={entry}
              survey={survey}
              plan={plan.data}
              choice={choice}
              stale={plan.isError || plan.isPlaceholderData}
              onChoice={setChoice}
            />
          )}
        </div>
      </div>
    </section>
  );
}

function PlanRows(props: {
  entry: Import;
  survey: Survey;
  plan: Plan;
  choice: Choice;
  stale: boolean;
  onChoice: (choice: Choice) => void;
}) {
  const { plan, survey } = props;
  const largest = Math.max(1, plan.unlabelled.chosen, ...plan.classes.map((entry) => entry.chosen));
  const rows = plan.unlabelled.files ? [plan.unlabelled, ...plan.classes] : plan.classes;
  return (
    <div className={props.stale ? "opacity-50" : ""}>
      <div className="border-b border-hairline px-4 py-2 text-sm text-quiet">
        <p>{contentWords(survey)}</p>
        {plan.wrappers.length > 0 && (
          <p>Seen through: {plan.wrappers.join(" / ")}, which holds everything.</p>
        )}
        {plan.notes.map((note) => (
          <p key={note}>{note}</p>
        ))}
        {plan.groups > 0 && <p>{plural(plan.groups, "group")} of pictures that belong together.</p>}
        {plan.noted > 0 && <p>{plural(plan.noted, "picture")} with a note.</p>}
        <TwoLabels entry={props.entry} plan={plan} />
        <Skipped skipped={survey.skipped} count={survey.skipped_count} />
      </div>
      <ul aria-label="Classes">
        {rows.map((entry) => (
          <PlannedRow
            key={`${entry.name}|${entry.read_as.join("|")}`}
            importId={props.entry.id}
            entry={entry}
            names={plan.classes.map((other) => other.name)}
            largest={largest}
            choice={props.choice}
            onChoice={props.onChoice}
          />
        ))}
      </ul>
    </div>
  );
}

function TwoLabels({ entry, plan }: { entry: Import; plan: Plan }) {
  if (!plan.two_labels_count) return null;
  return (
    <details className="mt-1 text-ink">
      <summary className="cursor-pointer text-wrong">
        {plural(plan.two_labels_count, "picture")} with two labels; the first stands, and they are marked
      </summary>
      <ul className="mt-1 max-h-64 overflow-y-auto">
        {plan.two_labels.map((two) => (
          <li key={two.paths.join("|")} className="flex items-center gap-2 py-0.5">
            <img
              src={`/api/imports/${entry.id}/strip?side=48&contents=${two.sha256}`}
              alt=""
              loading="lazy"
              className="size-12"
            />
            <span className="min-w-0 wrap-anywhere">
              {two.paths.map((path, index) => (
                <span key={path} className="block">
                  <b>{two.labels[index]}</b> <span className="font-mono text-sm text-quiet">{path}</span>
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
    </details>
  );
}

/** What is typed counts once the typing pauses. */
function useSettled(choice: Choice): Choice {
  const [settled, setSettled] = useState(choice);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(choice), 150);
    return () => window.clearTimeout(timer);
  }, [choice]);
  return settled;
}
