/** Jobs in words. */
import type { Job } from "../api/client";
import type { UnderWay } from "./curveLines";
import { duration } from "./words";

export function isActive(job: Job): boolean {
  return job.state === "waiting" || job.state === "running";
}

/** True for work that was begun and waits for something that a person may have to see to, such as room on the disk. */
export function isPutOff(job: Job): boolean {
  return job.state === "waiting" && job.stage !== "";
}

export function jobWords(job: Job): string {
  switch (job.state) {
    case "waiting":
      return isPutOff(job) ? `${job.stage} It goes on by itself then.` : "Waiting for a free worker";
    case "running": {
      if (job.stop_asked) return "Stopping …";
      const left = job.left_s === null ? "" : `, ${duration(job.left_s)} left`;
      const counted = job.total > 1 ? ` ${Math.round(job.done)} of ${Math.round(job.total)}` : "";
      return `${job.stage || "Starting"}${counted}${left}`;
    }
    case "done":
      return "Done";
    case "failed":
      return job.error ?? "Failed";
    case "stopped":
      return "Stopped by hand";
  }
}

/** An import in a few words, beside the number of pictures. */
export function arrivingWords(job: Job): string {
  return isPutOff(job) ? "an import is put off, see the tray" : jobWords(job).toLowerCase();
}

/** The tray's own label: what matters most first. */
export function trayWords(jobs: readonly Job[]): string {
  const running = jobs.filter((job) => job.state === "running").length;
  const putOff = jobs.filter(isPutOff).length;
  const waiting = jobs.filter((job) => job.state === "waiting").length - putOff;
  const failed = jobs.filter((job) => job.state === "failed").length;
  const parts = [
    running ? `${running} under way` : "",
    waiting ? `${waiting} waiting` : "",
    putOff ? `${putOff} put off` : "",
    failed ? `${failed} failed` : "",
  ].filter(Boolean);
  return parts.length ? parts.join(", ") : "Nothing under way";
}

/** The tab's title: how far a training is, else other work under way, else the name alone. */
export function tabTitle(jobs: readonly Job[]): string {
  const running = jobs.filter((job) => job.state === "running");
  const job = running.find((entry) => entry.kind === "train") ?? running[0];
  if (!job) return NAME;
  const far = job.total > 1 ? `${Math.floor((100 * job.done) / job.total)} % ` : "";
  return `${far}${job.title} · ${NAME}`;
}

const NAME = "Vast Orchard";

/** How fast a training goes, with the judging between its epochs; empty where the time left is not known yet. */
export function paceWords(job: Job, batch: number): string {
  if (!job.left_s || job.done >= job.total) return "";
  const pictures = ((job.total - job.done) / job.left_s) * batch;
  return `, ${pictures >= 10 ? Math.round(pictures).toLocaleString("en") : pictures.toFixed(1)} pictures a second`;
}

/** The losses of the epoch that a training is in, and how much of it is done; undefined between two epochs. */
export function underWay(job: Job, epochs: number): UnderWay | undefined {
  const steps = job.total / epochs;
  const part = steps > 0 ? (job.done % steps) / steps : 0;
  return job.line.length > 0 && part > 0 ? { losses: job.line, part } : undefined;
}
