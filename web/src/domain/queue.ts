/** The queue of trainings in words. */
import type { QueuedRun } from "../api/client";
import { duration, plural } from "./words";

/** Those that wait; with none there is no queue to speak of. */
export function waitingRuns(queue: readonly QueuedRun[]): readonly QueuedRun[] {
  return queue.filter((entry) => !entry.training);
}

/** "Run 4, warmer", with its project where that is another. */
export function queuedTitle(entry: QueuedRun, projectId: number): string {
  const own = entry.name ? `Run ${entry.number}, ${entry.name}` : `Run ${entry.number}`;
  return entry.project_id === projectId ? own : `${own} of ${entry.project_name}`;
}

/** When it is expected to begin and to end, and what it waits for. */
export function queuedWords(entry: QueuedRun): string {
  const ends = entry.ends_s === null ? "" : `done in ${duration(entry.ends_s)}`;
  if (entry.training)
    return [entry.pausing ? "waits again after this epoch" : "trains now", ends].filter(Boolean).join(", ");
  const paused = entry.epochs_done
    ? `paused after ${plural(entry.epochs_done, "epoch")} of ${entry.epochs}`
    : "";
  if (entry.held) return [paused, "held"].filter(Boolean).join(", ");
  const begins =
    entry.begins_s === null
      ? ""
      : entry.begins_s < 1
        ? "begins next"
        : `begins in ${duration(entry.begins_s)}`;
  return [paused, begins, ends].filter(Boolean).join(", ");
}

/** How much there is, and when all of it that is not held is expected to be done. */
export function queueWords(queue: readonly QueuedRun[]): string {
  const waiting = waitingRuns(queue).length;
  const trains = queue.length - waiting;
  const held = queue.filter((entry) => entry.held).length;
  const ends = queue.filter((entry) => !entry.held).map((entry) => entry.ends_s);
  const last =
    ends.length && !ends.includes(null) ? `, done in ${duration(Math.max(...ends.map(Number)))}` : "";
  return `Queue: ${[
    trains && `${trains} trains`,
    `${waiting} ${waiting === 1 ? "waits" : "wait"}`,
    held && `${held} held`,
  ]
    .filter(Boolean)
    .join(", ")}${last}`;
}
