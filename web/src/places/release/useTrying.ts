/** Asking a model about pictures that are not stored. */
import { useRef, useState } from "react";
import { type Answer, type Model, needBytes, sendFiles } from "../../api/client";
import { useNotices } from "../../parts/Notices";
import { lastOf, type Picked, picturesOf } from "./picking";
import type { Tried } from "./TriedPicture";

/** One request holds at most this many files. */
const AT_ONCE = 32;

export function useTrying(model: Model) {
  const { say, fail } = useNotices();
  const [tried, setTried] = useState<readonly Tried[]>([]);
  const [shown, setShown] = useState<string>();
  const [going, setGoing] = useState<{ done: number; total: number }>();
  const stopped = useRef(false);
  const ask = async (picked: readonly Picked[]) => {
    stopped.current = false;
    setGoing({ done: 0, total: picked.length });
    try {
      const { pictures: files, others } = await picturesOf(picked);
      if (others) say(`${others} of ${files.length + others} files are no pictures, and were left.`);
      setShown(undefined);
      setGoing({ done: 0, total: files.length });
      for (let start = 0; start < files.length && !stopped.current; start += AT_ONCE) {
        const fresh = await tryThem(model, files.slice(start, start + AT_ONCE));
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

/** A model's answers about files; at most 64 of them. Rejects with a `Problem`. */
export async function answered(model: Model, files: readonly Picked[]): Promise<Answer[]> {
  const body = new FormData();
  for (const { file } of files) body.append("files", file, file.name);
  return sendFiles<Answer[]>("POST", `/api/models/${model.id}/try`, body);
}

async function tryThem(model: Model, files: readonly Picked[]): Promise<Tried[]> {
  const answers = await answered(model, files);
  return files.flatMap(({ path, file }, place) => {
    const answer = answers[place];
    return answer ? [{ key: crypto.randomUUID(), path, file, url: URL.createObjectURL(file), answer }] : [];
  });
}

/** The file at a web address, which the server gets. Rejects with a `Problem`. */
export async function fromWeb(address: string): Promise<Picked> {
  const content = await needBytes("/api/web-pictures", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ address: address.trim() }),
  });
  const { pathname, hostname } = new URL(address.trim());
  const name = lastOf(pathname === "/" ? hostname : pathname);
  return { path: name, file: new File([content], name) };
}
