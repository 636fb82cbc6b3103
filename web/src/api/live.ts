/** The window's one event stream: each topic refreshes what depends on it. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { leaving } from "./client";
import { refreshRun } from "./runQueries";
import { unhurried } from "./unhurried";

/** Query keys by topic; the first part of a key is enough. */
const REFRESHED: Record<string, readonly string[]> = {
  projects: ["projects", "starting-models"],
  classes: ["classes", "networks", "start-plan", "pictures", "footing"],
  pictures: ["outside", "judgement", "pictures", "classes", "projects", "splits", "imports", "footing"],
  areas: ["areas", "pictures", "footing"],
  actions: [
    "areas",
    "outside",
    "judgement",
    "pictures",
    "copies",
    "findings",
    "classes",
    "splits",
    "footing",
    "bin",
    "projects",
  ],
  imports: ["imports"],
  copies: ["copies", "pictures"],
  findings: ["findings", "pictures"],
  bin: ["bin", "disk"],
  parcels: ["parcels", "disk"],
  splits: ["splits", "pictures"],
  ingredients: ["ingredients"],
  runs: [
    "runs",
    "run",
    "epochs",
    "lookouts",
    "lookout-trial",
    "ending-trial",
    "layers",
    "pictures",
    "footing",
    "judgement",
    "sureness",
    "judged-sets",
    "in-short",
    "comparison",
    "slices",
    "projects",
    "splits",
    "starting-models",
    "ingredients",
    "bin",
    "offers",
    "holdings",
    "queue",
    "plans",
    "plan",
    "plan-curves",
    "trainers",
  ],
  plans: ["plans", "plan", "plan-curves"],
  exports: ["exports", "holdings"],
  offers: ["offers", "serving"],
  tokens: ["tokens"],
  jobs: ["jobs", "exports", "parcels", "queue", "trainers"],
};

/** What a lookout found in a run. */
export interface Word {
  readonly run: number;
  readonly number: number;
  readonly words: string;
}

interface Told {
  readonly topic: string;
  readonly run?: number;
  /** Of a lookout that sends word: the run's number, and what it found. */
  readonly number?: number;
  readonly words?: string;
}

/** Keeps what is on show fresh; false while the stream is broken. */
export function useLive(onWord: (word: Word) => void): boolean {
  const queries = useQueryClient();
  const [connected, setConnected] = useState(true);
  useEffect(() => {
    const stream = new EventSource("/api/events");
    // Each part of what is on show has its own pace, so that progress does not wait for a hundred thousand pictures.
    const readers = new Map<string, () => void>();
    // An epoch is news of its own run only: neither the other runs nor their pages are read again.
    const readRun = (id: number) => {
      const reader = readers.get(`run ${id}`) ?? unhurried(() => refreshRun(queries, id).catch(() => {}));
      readers.set(`run ${id}`, reader);
      reader();
    };
    const readAgain = (key: string) => {
      const filter = key === "everything" ? {} : { queryKey: [key] };
      const reader = readers.get(key) ?? unhurried(() => queries.invalidateQueries(filter));
      readers.set(key, reader);
      reader();
    };
    let broken = false;
    stream.onopen = () => {
      // Whatever could not be read while it was broken, and whatever was told meanwhile.
      if (broken) readAgain("everything");
      broken = false;
      setConnected(true);
    };
    stream.onerror = () => {
      broken = true;
      setConnected(false);
    };
    stream.onmessage = (message: MessageEvent<string>) => {
      const { topic, run, ...rest } = JSON.parse(message.data) as Told;
      if (topic === "word") {
        onWord({ run: run ?? 0, number: rest.number ?? 0, words: rest.words ?? "" });
        return;
      }
      if (topic === "epochs" && run) {
        readRun(run);
        // A trial's curve grows with the plan that is on show, if one is.
        for (const key of ["plan", "plan-curves"]) readAgain(key);
        return;
      }
      for (const key of REFRESHED[topic] ?? ["everything"]) readAgain(key);
    };
    leaving.addEventListener("abort", () => stream.close(), { once: true });
    return () => stream.close();
  }, [queries, onWord]);
  return connected;
}
