/** Jobs in words. */
import type { Job } from "../api/client";
import { duration } from "./words";

export function isActive(job: Job): boolean {
  return job.state === "waiting" || job.state === "running";
}

export function jobWords(job: Job): string {
  switch (job.state) {
    case "waiting":
      return "Waiting for a free worker";
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

/** The tray's own label: what matters most first. */
export function trayWords(jobs: readonly Job[]): string {
  const running = jobs.filter((job) => job.state === "running").length;
  const waiting = jobs.filter((job) => job.state === "waiting").length;
  const failed = jobs.filter((job) => job.state === "failed").length;
  const parts = [
    running ? `${running} under way` : "",
    waiting ? `${waiting} waiting` : "",
    failed ? `${failed} failed` : "",
  ].filter(Boolean);
  return parts.length ? parts.join(", ") : "Nothing under way";
}
