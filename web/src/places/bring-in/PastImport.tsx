/** A source that was brought in, or waits for a decision: what it did, and what can still be done with it. */
import { useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { type Choice, client, header, type ImportEntry, type Job, need } from "../../api/client";
import { useJobs } from "../../api/queries";
import { usePlace } from "../../app/context";
import { isActive } from "../../domain/jobs";
import { readingWords } from "../../domain/plan";
import { moment, plural } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";

export interface ImportReport {
  readonly files: number;
  readonly added: number;
  readonly known: number;
  readonly repeated: number;
  readonly left_out?: number;
  readonly skipped: readonly { path: string; reason: string }[];
  readonly skipped_count: number;
  readonly wrappers: readonly string[];
  readonly notes: readonly string[];
  readonly choice?: Choice;
}

function stateWords(entry: ImportEntry, jobs: readonly Job[]): string {
  const read = jobs.some(
    (job) => ["read", "import"].includes(job.kind) && job.subject_id === entry.id && isActive(job),
  );
  switch (entry.state) {
    case "reading":
      return read ? "is being read" : "could not be read";
    case "planned":
      return "waits for your decision";
    case "importing":
      return "is being brought in";
    case "done":
      return "";
  }
}

/** What can be done with an import after its end, from wherever it is shown. */
export function useImportActions(entry: { id: number }) {
  const { project } = usePlace();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say, fail } = useNotices();
  const params = { path: { import_id: entry.id }, header };
  const refresh = () => queries.invalidateQueries({ queryKey: ["imports"] });
  return {
    takeBack: () =>
      need(client.POST("/api/imports/{import_id}/undo", { params }))
        .then((done) => {
          const kept = done.kept
            ? ` ${plural(done.kept, "picture")} that someone worked on since stayed.`
            : "";
          say(`${plural(done.taken_back, "picture")} moved to the bin.${kept}`);
          return refresh();
        })
        .catch(fail),
    rest: () =>
      need(client.POST("/api/imports/{import_id}/rest", { params }))
        .then((again) => navigate(`/p/${project.id}/rows/bring-in/${again.id}`))
        .catch(fail),
    again: () =>
      need(client.POST("/api/imports/{import_id}/again", { params }))
        .then((again) => navigate(`/p/${project.id}/rows/bring-in/${again.id}`))
        .catch(fail),
    giveUp: () =>
      need(client.DELETE("/api/imports/{import_id}", { params: { path: { import_id: entry.id } } }))
        .then(refresh)
        .then(() => navigate(`/p/${project.id}/rows/bring-in`))
        .catch(fail),
  };
}

export function PastImport({ entry }: { entry: ImportEntry }) {
  const { project } = usePlace();
  const { data: jobs = [] } = useJobs();
  const report = entry.report as ImportReport | null;
  const state = stateWords(entry, jobs);
  return (
    <li className="border-t border-hairline py-2" data-testid="import-report">
      <div className="flex items-baseline gap-3">
        <Link to={`/p/${project.id}/rows/bring-in/${entry.id}`} className="font-semibold hover:underline">
          {entry.source_name}
        </Link>
        <span className="text-quiet">{moment(entry.created_at)}</span>
        {report?.choice && (
          <span className="min-w-0 truncate text-quiet">classes from {readingWords(report.choice)}</span>
        )}
        {state && <span className="text-choice">{state}</span>}
        {entry.undone_at && <span className="text-wrong">taken back</span>}
        <Actions entry={entry} report={report} />
      </div>
      {report && <ReportLines report={report} />}
    </li>
  );
}

/** What can still be done with it. */
function Actions({ entry, report }: { entry: ImportEntry; report: ImportReport | null }) {
  const actions = useImportActions(entry);
  const done = entry.state === "done";
  return (
    <span className="ml-auto flex shrink-0 gap-1">
      {report && (
        <a href={`/api/imports/${entry.id}/files.csv`} className={buttonLook("bare")} download>
          Every file (CSV)
        </a>
      )}
      {done && !!report?.left_out && (
        <Button kind="bare" onClick={() => void actions.rest()}>
          Bring in the rest
        </Button>
      )}
      {done && entry.source_kind === "folder" && (
        <Button kind="bare" title="Read the folder once more" onClick={() => void actions.again()}>
          Again
        </Button>
      )}
      {done && !!report?.added && !entry.undone_at && (
        <Button kind="bare" onClick={() => void actions.takeBack()}>
          Take back
        </Button>
      )}
    </span>
  );
}

export function ReportLines({ report }: { report: ImportReport }) {
  return (
    <>
      <p>
        {plural(report.files, "file")} read: {plural(report.added, "new picture")}, {report.known} here
        already, {report.repeated} repeated within it, {report.skipped_count} skipped
        {report.left_out ? `, ${report.left_out.toLocaleString("en")} left out` : ""}.
      </p>
      {report.wrappers.length > 0 && (
        <p className="text-quiet">Seen through: {report.wrappers.join(" / ")}, which holds everything.</p>
      )}
      {report.notes.map((note) => (
        <p key={note} className="text-quiet">
          {note}
        </p>
      ))}
      <Skipped skipped={report.skipped} count={report.skipped_count} />
    </>
  );
}

export function Skipped(props: { skipped: readonly { path: string; reason: string }[]; count: number }) {
  if (!props.count) return null;
  return (
    <details className="mt-1">
      <summary className="cursor-pointer">
        What was skipped, and why ({props.count.toLocaleString("en")})
      </summary>
      <ul className="mt-1 max-h-60 overflow-y-auto text-sm">
        {props.skipped.map((skip) => (
          <li key={skip.path} className="py-0.5">
            <span className="font-mono wrap-anywhere">{skip.path}</span>{" "}
            <span className="text-quiet">{skip.reason}</span>
          </li>
        ))}
        {props.count > props.skipped.length && (
          <li className="text-quiet">and {(props.count - props.skipped.length).toLocaleString("en")} more</li>
        )}
      </ul>
    </details>
  );
}
