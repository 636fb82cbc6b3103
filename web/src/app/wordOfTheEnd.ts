/** Word of what ends to somebody who looks elsewhere: the tab's title, and the system's notifications if they are wished. */
import { useEffect, useState } from "react";
import type { Job } from "../api/client";
import type { Word } from "../api/live";
import { jobWords, tabTitle } from "../domain/jobs";

const KEY = "tell-outside";

/** Whether it was wished for, whatever the browser allows. */
function isWished(): boolean {
  return localStorage.getItem(KEY) === "yes";
}

export interface Telling {
  readonly on: boolean;
  /** Why it cannot be, and how that is mended. */
  readonly refused: string;
  readonly toggle: () => Promise<void>;
}

/** Switched on by a person, who is asked by the browser then and not before. */
export function useTelling(): Telling {
  const [wished, setWished] = useState(isWished);
  const [refused, setRefused] = useState(() => (isWished() ? refusal() : ""));
  const toggle = async () => {
    const now = !wished;
    if (now && "Notification" in window && Notification.permission === "default")
      await Notification.requestPermission();
    const why = now ? refusal() : "";
    setRefused(why);
    setWished(now && !why);
    localStorage.setItem(KEY, now && !why ? "yes" : "no");
  };
  return { on: wished && !refused, refused, toggle };
}

function refusal(): string {
  if (!("Notification" in window)) return "This browser has no notifications for this address.";
  if (Notification.permission === "granted") return "";
  return "The browser refuses notifications for this address. Allow them in its settings for this page, and switch this on again.";
}

/** Tells of a training that ended, outside the page. */
export function tellOutside(job: Job): void {
  if (job.kind !== "train" || !isWished() || refusal()) return;
  new Notification(`${job.title} · ${job.project_name}`, { body: jobWords(job), tag: `job-${job.id}` });
}

/** Tells of what a lookout found, outside the page. */
export function tellOfRun({ run, number, words }: Word): void {
  if (!isWished() || refusal()) return;
  new Notification(`Run ${number}`, { body: words, tag: `run-${run}-${words}` });
}

/** The tab's title carries how far the work is. */
export function useTabTitle(jobs: readonly Job[]): void {
  const title = tabTitle(jobs);
  useEffect(() => {
    document.title = title;
  }, [title]);
}
