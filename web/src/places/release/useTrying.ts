/** Asking a model about pictures that are not stored. */
import { useState } from "react";
import { type Answer, type Model, sendFiles } from "../../api/client";
import { useNotices } from "../../parts/Notices";
import type { Tried } from "./TriedPicture";

/** One request holds at most this many files. */
const AT_ONCE = 32;

export function useTrying(model: Model) {
  const { fail } = useNotices();
  const [tried, setTried] = useState<readonly Tried[]>([]);
  const [shown, setShown] = useState<string>();
  const [busy, setBusy] = useState(false);
  const ask = async (files: readonly File[]) => {
    setBusy(true);
    try {
      for (let start = 0; start < files.length; start += AT_ONCE) {
        const fresh = await answered(model, files.slice(start, start + AT_ONCE));
        setTried((now) => [...fresh, ...now]);
        setShown(fresh[0]?.key);
      }
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return { tried, current: tried.find((entry) => entry.key === shown), show: setShown, busy, ask };
}

async function answered(model: Model, files: readonly File[]): Promise<Tried[]> {
  const body = new FormData();
  for (const file of files) body.append("files", file, file.name);
  const answers = await sendFiles<Answer[]>("POST", `/api/models/${model.id}/try`, body);
  return answers.map((answer, index) => ({
    key: crypto.randomUUID(),
    url: URL.createObjectURL(files[index] ?? new Blob()),
    answer,
  }));
}
