/** Asking a model about pictures that are not stored. */
import { useRef, useState } from "react";
import {
  type Answer,
  client,
  type Model,
  need,
  needBytes,
  sendFiles,
  type TableClasses,
} from "../../api/client";
import { plural } from "../../domain/words";
import { useNotices } from "../../parts/Notices";
import { lastOf, type Picked, picturesOf } from "./picking";
import type { Tried } from "./TriedPicture";

/** One request holds at most this many files. */
const AT_ONCE = 32;

/** `onTried` hears of everything that was answered. */
export function useTrying(model: Model, onTried: (fresh: readonly Tried[]) => void) {
  const { say, fail } = useNotices();
  const [tried, setTried] = useState<readonly Tried[]>([]);
  const [shown, setShown] = useState<string>();
  const [going, setGoing] = useState<{ done: number; total: number }>();
  const stopped = useRef(false);
  const all = useRef<readonly Tried[]>([]);
  all.current = tried;
  const ask = async (picked: readonly Picked[]) => {
    stopped.current = false;
    setGoing({ done: 0, total: picked.length });
    try {
      const { pictures: files, tables, others } = await picturesOf(picked);
      if (others)
        say(`${others} of ${files.length + tables.length + others} files are no pictures, and were left.`);
      if (files.length) setShown(undefined);
      setGoing({ done: 0, total: files.length });
      for (let start = 0; start < files.length && !stopped.current; start += AT_ONCE) {
        const fresh = await tryThem(model, files.slice(start, start + AT_ONCE));
        all.current = [...fresh, ...all.current];
        setTried(all.current);
        onTried(fresh);
        if (files.length === 1) setShown(fresh[0]?.key);
        setGoing({ done: Math.min(files.length, start + AT_ONCE), total: files.length });
      }
      // Of what was tried before, too: a table may come later than its pictures.
      for (const table of tables) {
        const { classes, notes } = await classesOf(
          table,
          all.current.map((entry) => entry.path),
        );
        const said = (path: string) => asWritten(model, classes[path]);
        setTried((now) => now.map((entry) => ({ ...entry, truth: said(entry.path) ?? entry.truth })));
        say(
          `${table.path} says the class of ${plural(Object.keys(classes).length, "picture")}. ${notes.join(" ")}`.trim(),
        );
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

/** A class as the model writes it, whatever its capitals. */
function asWritten({ classes }: Model, said: string | undefined): string | undefined {
  return classes.find((entry) => entry.name.toLowerCase() === said?.toLowerCase())?.name ?? said;
}

/** The classes that a table says of files. Rejects with a `Problem`. */
function classesOf(table: Picked, paths: readonly string[]): Promise<TableClasses> {
  const body = new FormData();
  body.append("file", table.file, table.file.name);
  body.append("paths", paths.join("\n"));
  return sendFiles<TableClasses>("POST", "/api/label-table", body);
}

/** So many pictures are fetched side by side. */
const FETCHED_AT_ONCE = 8;

/** Pictures of the project, in folders of their labels, and what is to be said of those that are not among them. */
export async function fromProject(model: Model, sift: string): Promise<{ picked: Picked[]; words: string }> {
  const found = await need(
    client.POST("/api/models/{model_id}/sifted-to-try", {
      params: { path: { model_id: model.id } },
      body: { sift, limit: 200 },
    }),
  );
  const picked: Picked[] = [];
  for (let start = 0; start < found.pictures.length; start += FETCHED_AT_ONCE) {
    const part = found.pictures
      .slice(start, start + FETCHED_AT_ONCE)
      .map(async ({ name, sha256, class_name }) => {
        const file = new File([await needBytes(`/api/originals/${sha256}`)], name);
        return { path: class_name ? `${class_name}/${name}` : name, file };
      });
    picked.push(...(await Promise.all(part)));
  }
  const left = found.left_out
    ? `${plural(found.left_out, "picture")} of the model's test set left out: what it says of them is a counted look in Review. `
    : "";
  return { picked, words: `${left}${found.more ? "The first 200 are tried." : ""}`.trim() };
}

/** What lies in a bucket. Rejects with a `Problem`. */
export async function fromBucket(location: string, key: string, secret: string): Promise<Picked> {
  const content = await needBytes("/api/bucket-pictures", {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ location, key, secret }),
  });
  return { path: `${lastOf(location)}.zip`, file: new File([content], "bucket.zip") };
}
