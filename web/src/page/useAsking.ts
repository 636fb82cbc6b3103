/** Asking the page's model about files, one after another, so that the page stays awake. */
import { useCallback, useRef, useState } from "react";
import type { TriedFile } from "../domain/tried";
import type { Engine } from "../engine/engine";
import { readFile } from "./read";

export interface Tried extends TriedFile {
  readonly url: string;
}

export type Asking = ReturnType<typeof useAsking>;

export function useAsking(engine: Engine) {
  const [tried, setTried] = useState<readonly Tried[]>([]);
  const [shown, setShown] = useState<string>();
  const [going, setGoing] = useState<{ done: number; total: number }>();
  const stopped = useRef(false);
  const waiting = useRef<File[]>([]);
  const ask = useCallback(
    (files: readonly File[]) => {
      const busy = waiting.current.length > 0;
      waiting.current.push(...files);
      if (busy || !files.length) return;
      stopped.current = false;
      const work = async () => {
        let done = 0;
        while (waiting.current[0] && !stopped.current) {
          setGoing({ done, total: done + waiting.current.length });
          const one = await answered(engine, waiting.current[0]);
          waiting.current.shift();
          done++;
          setTried((now) => [one, ...now]);
          setShown(one.key);
          // Between two pictures the page may draw and be stopped.
          await new Promise((resolve) => setTimeout(resolve));
        }
        waiting.current = [];
        setGoing(undefined);
      };
      void work();
    },
    [engine],
  );
  return {
    tried,
    current: tried.find((one) => one.key === shown),
    show: setShown,
    going,
    stop: () => {
      stopped.current = true;
    },
    clear: () => {
      for (const { url } of tried) URL.revokeObjectURL(url);
      setTried([]);
    },
    ask,
  };
}

let count = 0;

async function answered(engine: Engine, file: File): Promise<Tried> {
  const own = { key: String(count++), path: file.name, url: URL.createObjectURL(file) };
  try {
    const { probabilities, seconds } = engine.answer(await readFile(engine, file));
    return { ...own, answer: { error: null, probabilities, calibrated: probabilities, seconds } };
  } catch (error) {
    const words = error instanceof Error ? error.message : String(error);
    return { ...own, answer: { error: words, probabilities: [], calibrated: [], seconds: null } };
  }
}
