/** The window's one event stream: each topic refreshes what depends on it. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

/** Query keys by topic; the first part of a key is enough. */
const REFRESHED: Record<string, readonly string[]> = {
  projects: ["projects"],
  classes: ["classes", "networks", "pictures", "footing"],
  pictures: ["pictures", "classes", "projects", "splits", "imports", "footing"],
  actions: ["pictures", "copies", "classes", "splits", "footing", "outcomes", "bin", "projects"],
  imports: ["imports"],
  copies: ["copies", "pictures"],
  bin: ["bin", "disk"],
  parcels: ["parcels", "disk"],
  splits: ["splits", "pictures"],
  ingredients: ["ingredients"],
  runs: ["runs", "pictures", "footing", "judgement", "outcomes", "projects", "splits", "ingredients"],
  epochs: ["runs"],
  exports: ["exports"],
  jobs: ["jobs", "exports", "parcels"],
};

/** Events come faster than anybody reads; what they touch is read again at most this often, */
const LEAST_PAUSE_MS = 150;
/** and never sooner than it took to read it the last time, however large the collection. */
const LONGEST_PAUSE_MS = 15_000;

/**
 * Returns what asks for a reading: it begins after a pause, is never cut short by the next event (or a long import
 * would keep the field from ever showing), and happens once more if events came while it lasted.
 */
export function unhurried(read: () => Promise<unknown>): () => void {
  let wanted = false;
  let busy = false;
  let pause = LEAST_PAUSE_MS;
  const run = async () => {
    wanted = false;
    const began = performance.now();
    await read();
    pause = Math.min(LONGEST_PAUSE_MS, Math.max(LEAST_PAUSE_MS, performance.now() - began));
    if (wanted) setTimeout(run, pause);
    else busy = false;
  };
  return () => {
    wanted = true;
    if (busy) return;
    busy = true;
    setTimeout(run, pause);
  };
}

/** Keeps what is on show fresh; false while the stream is broken. */
export function useLive(): boolean {
  const queries = useQueryClient();
  const [connected, setConnected] = useState(true);
  useEffect(() => {
    const stream = new EventSource("/api/events");
    // Each part of what is on show has its own pace, so that progress does not wait for a hundred thousand pictures.
    const readers = new Map<string, () => void>();
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
      const { topic } = JSON.parse(message.data) as { topic: string };
      for (const key of REFRESHED[topic] ?? ["everything"]) readAgain(key);
    };
    return () => stream.close();
  }, [queries]);
  return connected;
}
