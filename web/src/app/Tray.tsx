/** The quiet tray: jobs under way, waiting, failed and ended, and what was said lately; from any place. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { client, type Job, need, Problem } from "../api/client";
import { useJobs } from "../api/queries";
import { isActive, isPutOff, jobWords, trayWords } from "../domain/jobs";
import { Button, buttonLook } from "../parts/Button";
import { useNotices, useSaid } from "../parts/Notices";
import { ProgressBar } from "../parts/ProgressBar";
import { tellOutside, useTabTitle, useTelling } from "./wordOfTheEnd";

const PLACE: Record<Job["kind"], string> = {
  copies: "rows?group=copies&sift=copies",
  findings: "rows?group=finding&sift=finding:any+order:-finding",
  read: "rows/bring-in",
  import: "rows",
  take_out: "rows",
  bring_back: "rows",
  duplicate: "rows",
  sample: "rows",
  empty: "rows/bin",
  tell: "runs",
  train: "runs",
  judge: "review",
  plan: "runs",
  combine: "runs",
  export: "release",
};

export function Tray() {
  const { data } = useJobs();
  useEndings(data);
  const jobs = data ?? [];
  useTabTitle(jobs);
  const shown = [...jobs].reverse();
  const alarming = jobs.some((job) => job.state === "failed" || isPutOff(job));
  const active = jobs.filter(isActive);
  const first = active.find((job) => job.state === "running");
  return (
    <Popover className="relative">
      <PopoverButton className={`${buttonLook("bare")} ${alarming ? "text-wrong" : ""}`} data-testid="tray">
        <span className="flex min-w-24 flex-col gap-0.5 text-left">
          <span className="text-sm whitespace-nowrap">{trayWords(jobs)}</span>
          {first && <ProgressBar done={first.done} total={first.total} label={first.title} />}
        </span>
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="shadow-float z-50 max-h-[70vh] w-[400px] overflow-y-auto bg-surface p-2 [--anchor-gap:4px]"
      >
        <SaidLately />
        {shown.length === 0 && (
          <p className="p-2 text-quiet">Long work shows here: imports, training, exports.</p>
        )}
        <TellOutside />
        <ul aria-label="Jobs">
          {shown.map((job) => (
            <Entry key={job.id} job={job} />
          ))}
        </ul>
      </PopoverPanel>
    </Popover>
  );
}

/** Notices pass; whoever looked away reads them here. */
function SaidLately() {
  const said = useSaid();
  if (!said.length) return null;
  return (
    <section className="mb-1 border-b border-hairline px-2 pb-2">
      <h3 className="text-sm text-quiet">Said lately in this window</h3>
      <ul aria-label="Said lately">
        {said.map((notice) => (
          <li key={notice.id} className={`flex gap-3 py-0.5 text-sm ${notice.wrong ? "text-wrong" : ""}`}>
            <span className="min-w-0 flex-1 break-words">{notice.text}</span>
            <time className="shrink-0 text-quiet" dateTime={notice.at.toISOString()}>
              {notice.at.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}
            </time>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A system notification when a training ends, for whoever looks elsewhere. */
function TellOutside() {
  const { on, refused, toggle } = useTelling();
  return (
    <div className="mb-1 border-b border-hairline px-2 pb-2 text-sm">
      <label className="flex cursor-pointer items-baseline gap-2">
        <input type="checkbox" checked={on} onChange={() => void toggle()} className="accent-choice" />
        Tell me outside the page when a training ends
      </label>
      {refused && (
        <p role="alert" className="text-wrong">
          {refused}
        </p>
      )}
    </div>
  );
}

function Entry({ job }: { job: Job }) {
  const { fail } = useNotices();
  const queries = useQueryClient();
  const post = (path: "/api/jobs/{job_id}/stop" | "/api/jobs/{job_id}/put-away") =>
    need(client.POST(path, { params: { path: { job_id: job.id } } }))
      .then(() => queries.invalidateQueries({ queryKey: ["jobs"] }))
      .catch(fail);
  return (
    <li className="border-b border-hairline px-2 py-2 last:border-0" data-state={job.state}>
      <div className="flex items-baseline justify-between gap-2">
        <Link to={placeOf(job)} className="min-w-0 truncate font-semibold hover:underline">
          {job.title} <span className="font-normal text-quiet">· {job.project_name}</span>
        </Link>
        {isActive(job) ? (
          <Button kind="bare" disabled={job.stop_asked} onClick={() => void post("/api/jobs/{job_id}/stop")}>
            Stop
          </Button>
        ) : (
          <Button kind="bare" onClick={() => void post("/api/jobs/{job_id}/put-away")}>
            Put away
          </Button>
        )}
      </div>
      <p
        className={`text-sm break-words ${job.state === "failed" || isPutOff(job) ? "text-wrong" : "text-quiet"}`}
      >
        {jobWords(job)}
      </p>
      {job.state === "running" && (
        <div className="mt-1">
          <ProgressBar done={job.done} total={job.total} label={job.title} />
        </div>
      )}
    </li>
  );
}

function placeOf(job: Job): string {
  if (job.project_id === null) return "/";
  // A source that was read waits for a decision.
  const rest = job.kind === "read" ? `/${job.subject_id}` : "";
  return `/p/${job.project_id}/${PLACE[job.kind]}${rest}`;
}

/** Says when something ended since this window opened, even if it was too quick to be seen under way. */
function useEndings(jobs: readonly Job[] | undefined): void {
  const { say, fail } = useNotices();
  const told = useRef<Set<number>>(undefined);
  useEffect(() => {
    if (!jobs) return;
    const ended = jobs.filter((job) => !isActive(job));
    // What had ended before is not news.
    told.current ??= new Set(ended.map((job) => job.id));
    for (const job of ended) {
      if (told.current.has(job.id)) continue;
      told.current.add(job.id);
      tellOutside(job);
      const words = `${job.title}: ${jobWords(job)}`;
      if (job.state === "failed") fail(new Problem(words, "", 0));
      else say(words);
    }
  }, [jobs, say, fail]);
}
