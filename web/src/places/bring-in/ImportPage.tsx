/** One source on its way in: being read, its plan, being brought in, and what it did. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link } from "react-router";
import { client, type Import, type Job, need, type Survey } from "../../api/client";
import { useImport, useJobs } from "../../api/queries";
import { usePlace } from "../../app/context";
import { isActive, jobWords } from "../../domain/jobs";
import { plural } from "../../domain/words";
import { Button, buttonLook } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { ProgressBar } from "../../parts/ProgressBar";
import { Failed, Reading } from "../../parts/States";
import { PlaceHead } from "../head/PlaceHead";
import { type ImportReport, ReportLines, Skipped, useImportActions } from "./PastImport";
import { PlanPage } from "./PlanPage";

export function ImportPage({ importId }: { importId: number }) {
  const found = useImport(importId);
  const { data: jobs = [] } = useJobs();
  const queries = useQueryClient();
  const job = [...jobs]
    .reverse()
    .find((entry) => (entry.kind === "read" || entry.kind === "import") && entry.subject_id === importId);
  // The job's end is told first; what it found is read then.
  useEffect(() => {
    if (job && !isActive(job)) void queries.invalidateQueries({ queryKey: ["imports", "one", importId] });
  }, [job, queries, importId]);
  if (found.isError) return <Failed error={found.error} onRetry={() => void found.refetch()} />;
  const entry = found.data;
  if (!entry) return <Reading what="the import" />;
  if (job && isActive(job)) return <UnderWay entry={entry} job={job} />;
  switch (entry.state) {
    case "reading":
      return <NotRead entry={entry} job={job} />;
    case "planned":
      return entry.survey?.pictures ? (
        <PlanPage entry={entry} survey={entry.survey} job={job} />
      ) : (
        <NothingFound entry={entry} survey={entry.survey} />
      );
    case "importing":
      return <Reading what="the import's job" />;
    case "done":
      return <Done entry={entry} job={job} />;
  }
}

function UnderWay({ entry, job }: { entry: Import; job: Job }) {
  const { fail } = useNotices();
  const stop = () =>
    need(client.POST("/api/jobs/{job_id}/stop", { params: { path: { job_id: job.id } } })).catch(fail);
  return (
    <section className="flex h-full flex-col" aria-label={job.title}>
      <PlaceHead title={entry.source_name} />
      <div className="mx-auto mt-16 w-[520px]" data-testid="under-way">
        <h3 className="mb-1 text-xl font-semibold">{job.title}</h3>
        <p className="mb-3 text-quiet" role="status">
          {jobWords(job)}
        </p>
        <ProgressBar done={job.done} total={job.total} label={job.title} />
        <p className="mt-3 mb-4 text-quiet">
          {job.kind === "read"
            ? "Nothing is stored yet. You can leave this page; the plan waits for you in the tray."
            : "Pictures appear in Rows as they come in. You can leave this page."}
        </p>
        <Button disabled={job.stop_asked} onClick={() => void stop()}>
          Stop
        </Button>
      </div>
    </section>
  );
}

function NotRead({ entry, job }: { entry: Import; job: Job | undefined }) {
  const { giveUp } = useImportActions(entry);
  const { fail } = useNotices();
  const again = () =>
    need(client.POST("/api/imports/{import_id}/read", { params: { path: { import_id: entry.id } } })).catch(
      fail,
    );
  return (
    <section className="flex h-full flex-col" aria-label="Not read">
      <PlaceHead title={entry.source_name} />
      <div role="alert" className="mx-auto mt-16 w-[560px]">
        <h3 className="mb-1 text-xl font-semibold text-wrong">
          {job?.state === "stopped" ? "Reading was stopped" : "This source could not be read"}
        </h3>
        <p className="mb-4">{job?.error ?? "Nothing of it was stored."}</p>
        <div className="flex gap-2">
          {entry.source_kind !== "upload" && (
            <Button kind="main" onClick={() => void again()}>
              Read again
            </Button>
          )}
          <Button onClick={() => void giveUp()}>Forget it</Button>
        </div>
      </div>
    </section>
  );
}

/** Where it looked, what it saw there, and what it expected. */
function NothingFound({ entry, survey }: { entry: Import; survey: Survey | null }) {
  const { giveUp } = useImportActions(entry);
  const reasons = Object.entries(survey?.reasons ?? {});
  return (
    <section className="flex h-full flex-col" aria-label="Nothing found">
      <PlaceHead title={entry.source_name} />
      <div className="mx-auto mt-12 w-[680px]" data-testid="nothing-found">
        <h3 className="mb-2 text-xl font-semibold">No picture was found in {entry.source_name}</h3>
        <dl className="mb-4 grid grid-cols-[110px_1fr] gap-y-2">
          <dt className="text-quiet">Looked in</dt>
          <dd className="wrap-anywhere">
            {survey?.folders.length
              ? survey.folders.map((folder) => folder || "the top").join(", ")
              : "the source itself"}
            {survey && survey.folder_count > survey.folders.length
              ? ` and ${survey.folder_count - survey.folders.length} more`
              : ""}
          </dd>
          <dt className="text-quiet">Saw there</dt>
          <dd>
            {survey?.files ? plural(survey.files, "file") : "nothing"}
            {reasons.map(([reason, count]) => (
              <span key={reason} className="block text-quiet">
                {count.toLocaleString("en")}: {reason}
              </span>
            ))}
          </dd>
          <dt className="text-quiet">Expected</dt>
          <dd>Picture files ending in .jpg, .png, .webp, .bmp, .tif, .gif or .heic, in folders or not.</dd>
        </dl>
        {survey && <Skipped skipped={survey.skipped} count={survey.skipped_count} />}
        <div className="mt-4">
          <Button kind="main" onClick={() => void giveUp()}>
            Choose another source
          </Button>
        </div>
      </div>
    </section>
  );
}

function Done({ entry, job }: { entry: Import; job: Job | undefined }) {
  const { project } = usePlace();
  const actions = useImportActions(entry);
  const report = entry.report as ImportReport | null;
  return (
    <section className="flex h-full flex-col" aria-label="Brought in">
      <PlaceHead title={entry.source_name}>
        {!!report?.left_out && <Button onClick={() => void actions.rest()}>Bring in the rest</Button>}
        {!!report?.added && !entry.undone_at && (
          <Button onClick={() => void actions.takeBack()}>Take back</Button>
        )}
        <Link to={`/p/${project.id}/rows`} className={buttonLook("main")} data-testid="see-pictures">
          See the pictures
        </Link>
      </PlaceHead>
      <div className="mx-auto mt-10 w-[680px]" data-testid="import-report">
        <h3 className="mb-2 text-xl font-semibold">{entry.undone_at ? "Taken back" : "Brought in"}</h3>
        {job?.state === "failed" && <p className="mb-2 text-wrong">{job.error}</p>}
        {report ? <ReportLines report={report} /> : <p>Nothing was brought in.</p>}
        {report && (
          <a href={`/api/imports/${entry.id}/files.csv`} className={`${buttonLook()} mt-4`} download>
            Every file and what became of it (CSV)
          </a>
        )}
      </div>
    </section>
  );
}
