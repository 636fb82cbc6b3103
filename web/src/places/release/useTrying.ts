/** Asking a model about pictures that are not stored. */
import { useRef, useState } from "react";
import { type Answer, type Model, sendFiles } from "../../api/client";
import { useNotices } from "../../parts/Notices";
import type { Tried } from "./TriedPicture";

/** One request holds at most this many files. */
const AT_ONCE = 32;

/** A file with the folders that it lay in. */
export interface Picked {
  readonly path: string;
  readonly file: File;
}

const ENDINGS = /\.(jpe?g|png|webp|bmp|tiff?|gif|hei[cf])$/i;

export function useTrying(model: Model) {
  const { say, fail } = useNotices();
  const [tried, setTried] = useState<readonly Tried[]>([]);
  const [shown, setShown] = useState<string>();
  const [going, setGoing] = useState<{ done: number; total: number }>();
  const stopped = useRef(false);
  const ask = async (picked: readonly Picked[]) => {
    // Of a folder its pictures alone; a single file that is none is told so.
    const files = picked.length > 1 ? picked.filter(({ path }) => ENDINGS.test(path)) : picked;
    const others = picked.length - files.length;
    if (others) say(`${others} of ${picked.length} files are no pictures, and were left.`);
    if (!files.length) return;
    stopped.current = false;
    setGoing({ done: 0, total: files.length });
    setShown(undefined);
    try {
      for (let start = 0; start < files.length && !stopped.current; start += AT_ONCE) {
        const fresh = await answered(model, files.slice(start, start + AT_ONCE));
        setTried((now) => [...fresh, ...now]);
        if (files.length === 1) setShown(fresh[0]?.key);
        setGoing({ done: Math.min(files.length, start + AT_ONCE), total: files.length });
      }
    } catch (error) {
      fail(error);
    }
    setGoing(undefined);
  };
  return {
    tried,
    current: tried.find((entry) => entry.key === shown),
    show: setShown,
    going,
    stop: () => {
      stopped.current = true;
    },
    clear: () => {
      for (const { url } of tried) URL.revokeObjectURL(url);
      setTried([]);
      setShown(undefined);
    },
    ask,
  };
}

async function answered(model: Model, files: readonly Picked[]): Promise<Tried[]> {
  const body = new FormData();
  for (const { file } of files) body.append("files", file, file.name);
  const answers = await sendFiles<Answer[]>("POST", `/api/models/${model.id}/try`, body);
  return answers.map((answer, index) => ({
    key: crypto.randomUUID(),
    path: files[index]?.path ?? answer.name,
    url: URL.createObjectURL(files[index]?.file ?? new Blob()),
    answer,
  }));
}
