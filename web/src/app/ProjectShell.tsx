/** A project's frame: its four places along the top edge, the Footing under them, and the place itself. */
import { useState } from "react";
import { Link, Outlet, useParams, useSearchParams } from "react-router";
import type { Run } from "../api/client";
import { useClasses, useProject, useSplits } from "../api/queries";
import { runsOf, useFooting, useLedger, useRun } from "../api/runQueries";
import { failureOf } from "../domain/failure";
import { footingParts } from "../domain/footing";
import { newestResult } from "../domain/runs";
import { Failed, Reading } from "../parts/States";
import { NextStepLink } from "../places/head/NextStepLink";
import { useNextStep } from "../places/head/useNextStep";
import { namedIn, type PlaceContext } from "./context";
import { KeySheet } from "./KeySheet";
import { carried } from "./places";
import { ShellHead } from "./ShellHead";
import { useChords } from "./useChords";

export function ProjectShell() {
  const projectId = Number(useParams().projectId);
  const [params] = useSearchParams();
  const project = useProject(projectId);
  const classes = useClasses(projectId);
  const splits = useSplits(projectId);
  const ledger = useLedger(projectId);
  const [keysOpen, setKeysOpen] = useState(false);
  useChords(() => setKeysOpen(true));

  const runs = runsOf(ledger.data);
  const named = useNamedRun(runs, params.get("run"), projectId);
  const chosenRun = named ?? newestResult(runs);

  const failed = [project, classes, splits, ledger].find(failureOf);
  if (failed) return <Unread error={failed.error} onRetry={() => void failed.refetch()} />;
  if (!project.data || !classes.data || !splits.data || !ledger.data) return <Reading what="the project" />;

  const context: PlaceContext = {
    project: project.data,
    classes: classes.data,
    splits: splits.data,
    runs,
    named,
    split: namedIn(splits.data, params.get("split")) ?? splits.data[0],
    run: chosenRun,
  };
  return (
    <div className="flex h-full flex-col">
      <title>{`${project.data.name} · Vast Orchard`}</title>
      <ShellHead name={project.data.name} search={carried(params)} onKeys={() => setKeysOpen(true)} />
      <section
        aria-label="Footing"
        data-testid="footing"
        className="border-b border-hairline px-4 py-1 text-quiet"
      >
        {context.run ? (
          <FootingLine run={context.run} search={carried(params)} />
        ) : (
          <NextStepLine context={context} />
        )}
      </section>
      <main className="min-h-0 flex-1">
        <Outlet context={context} />
      </main>
      <KeySheet open={keysOpen} onClose={() => setKeysOpen(false)} />
    </div>
  );
}

function Unread(props: { error: unknown; onRetry: () => void }) {
  return (
    <Failed {...props}>
      <Link to="/" className="text-choice underline">
        Open the list of projects
      </Link>
    </Failed>
  );
}

/** The run that the address names; one that stands further down the Ledger is read by itself. */
function useNamedRun(runs: readonly Run[], text: string | null, projectId: number): Run | undefined {
  const listed = namedIn(runs, text);
  const alone = useRun(text && !listed && Number(text) > 0 ? Number(text) : undefined);
  return listed ?? (alone.data?.project_id === projectId ? alone.data : undefined);
}

function FootingLine({ run, search }: { run: Run; search: string }) {
  const footing = useFooting(run.project_id, run.id);
  const parts = footingParts(run, footing.data);
  return parts.map((part, index) => (
    <span key={part.text}>
      {index > 0 && (part.text.startsWith("of ") ? " " : ", ")}
      <Link
        to={{ pathname: part.opens, search }}
        className={`hover:underline ${part.changed ? "bg-wrong-wash px-1 font-semibold text-wrong" : ""}`}
      >
        {part.text}
      </Link>
    </span>
  ));
}

/** Without a result, what to do next; it goes with the first one. */
function NextStepLine({ context }: { context: PlaceContext }) {
  const step = useNextStep(context);
  return (
    <>
      {step.text}{" "}
      <NextStepLink projectId={context.project.id} step={step} className="text-choice underline" />
    </>
  );
}
