/** The window's one event stream: each topic refreshes what depends on it. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

/** Query keys by topic; the first part of a key is enough. */
const REFRESHED: Record<string, readonly string[]> = {
  projects: ["projects"],
  classes: ["classes", "networks", "pictures", "footing"],
  pictures: ["pictures", "classes", "projects", "splits", "imports", "footing"],
  actions: ["pictures", "classes", "splits", "footing", "outcomes"],
  splits: ["splits", "pictures"],
  runs: ["runs", "footing", "judgement", "outcomes", "projects"],
  epochs: ["runs"],
  exports: ["exports"],
  jobs: ["jobs", "exports", "imports"],
};

/** Events come faster than anybody reads; what they touch is read again at most this often. */
const GATHER_MS = 150;

/** Keeps what is on show fresh; false while the stream is broken. */
export function useLive(): boolean {
  const queries = useQueryClient();
  const [connected, setConnected] = useState(true);
  useEffect(() => {
    const stream = new EventSource("/api/events");
    const touched = new Set<string>();
    let timer: number | undefined;
    const refresh = () => {
      timer = undefined;
      const keys = [...touched];
      touched.clear();
      if (keys.includes("everything")) void queries.invalidateQueries();
      else for (const key of keys) void queries.invalidateQueries({ queryKey: [key] });
    };
    stream.onopen = () => setConnected(true);
    stream.onerror = () => setConnected(false);
    stream.onmessage = (message: MessageEvent<string>) => {
      const { topic } = JSON.parse(message.data) as { topic: string };
      for (const key of REFRESHED[topic] ?? ["everything"]) touched.add(key);
      timer ??= window.setTimeout(refresh, GATHER_MS);
    };
    return () => {
      window.clearTimeout(timer);
      stream.close();
    };
  }, [queries]);
  return connected;
}
