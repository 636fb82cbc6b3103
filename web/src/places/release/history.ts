/** What was tried, kept in this browser and nowhere else: pictures with their answers, and what they truly are. */
import { type DBSchema, type IDBPDatabase, openDB } from "idb";
import { useCallback, useEffect, useState } from "react";
import type { Answer, Model } from "../../api/client";
import { useNotices } from "../../parts/Notices";
import type { Tried } from "./TriedPicture";

export interface Kept {
  /** Of project, weights and content: the same picture asked of the same weights again is counted. */
  readonly key: string;
  readonly project: number;
  readonly path: string;
  readonly file: Blob;
  readonly run: number;
  readonly digest: string;
  readonly names: readonly string[];
  readonly answer: Answer;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly count: number;
  readonly truth?: string | undefined;
}

interface Tables extends DBSchema {
  tried: { key: string; value: Kept; indexes: { project: number } };
}

/** So many of a project are kept; the oldest go first. */
export const MOST_KEPT = 2000;

const WANTED = "vast-orchard-history-";
let opened: Promise<IDBPDatabase<Tables>> | undefined;

function database(): Promise<IDBPDatabase<Tables>> {
  opened ??= openDB<Tables>("vast-orchard-tried", 1, {
    upgrade: (made) =>
      void made.createObjectStore("tried", { keyPath: "key" }).createIndex("project", "project"),
  });
  return opened;
}

async function contentDigest(file: Blob): Promise<string> {
  const found = new Uint8Array(await crypto.subtle.digest("SHA-256", await file.arrayBuffer()));
  return [...found].map((value) => value.toString(16).padStart(2, "0")).join("");
}

async function keep(project: number, model: Model, fresh: readonly Tried[]): Promise<void> {
  const tables = await database();
  for (const { path, file, answer, truth } of fresh) {
    if (answer.error) continue;
    const digest = answer.digest ?? "";
    const key = `${project}:${digest}:${await contentDigest(file)}`;
    const before = await tables.get("tried", key);
    await tables.put("tried", {
      key,
      project,
      path,
      // A copy: what a file chooser gives is gone with the page.
      file: new Blob([await file.arrayBuffer()], { type: file.type }),
      run: answer.run ?? 0,
      digest,
      names: model.classes.map((entry) => entry.name),
      answer,
      at: Date.now(),
      count: (before?.count ?? 0) + 1,
      truth: truth ?? before?.truth,
    });
  }
  const all = await newestFirst(project);
  for (const { key } of all.slice(MOST_KEPT)) await tables.delete("tried", key);
}

async function newestFirst(project: number): Promise<Kept[]> {
  const all = await (await database()).getAllFromIndex("tried", "project", project);
  return all.sort((one, other) => other.at - one.at);
}

/** A project's history; nothing is kept unless it is wanted. */
export function useHistory(project: number) {
  const { fail } = useNotices();
  const [wanted, setWanted] = useState(() => localStorage.getItem(WANTED + project) === "yes");
  const [kept, setKept] = useState<readonly Kept[]>([]);
  const read = useCallback(() => newestFirst(project).then(setKept).catch(fail), [project, fail]);
  useEffect(() => void read(), [read]);
  const change = async (work: (tables: IDBPDatabase<Tables>) => Promise<unknown>) => {
    try {
      await work(await database());
    } catch (error) {
      fail(error);
    }
    await read();
  };
  return {
    wanted,
    kept,
    want: (next: boolean) => {
      localStorage.setItem(WANTED + project, next ? "yes" : "no");
      setWanted(next);
    },
    add: (model: Model, fresh: readonly Tried[]) => {
      if (wanted) void change(() => keep(project, model, fresh));
    },
    tell: (entry: Kept, truth: string | undefined) =>
      change((tables) => tables.put("tried", { ...entry, truth })),
    restore: (entries: readonly Kept[]) =>
      change((tables) => Promise.all(entries.map((entry) => tables.put("tried", entry)))),
    forget: (entries: readonly Kept[]) =>
      change((tables) => Promise.all(entries.map((entry) => tables.delete("tried", entry.key)))),
  };
}

export type History = ReturnType<typeof useHistory>;
