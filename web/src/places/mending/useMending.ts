/** What is done to pictures and classes, with what the server says of it. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { client, header, need, type SetName } from "../../api/client";
import { inTurn } from "../../api/inTurn";
import { plural } from "../../domain/words";
import { useNotices } from "../../parts/Notices";

export interface ClassLook {
  name: string;
  sign: string;
  /** One of ten; null for the one of its place. */
  colour: number | null;
}

export interface Mending {
  label: (pictureIds: readonly number[], classId: number | null) => Promise<void>;
  mark: (pictureIds: readonly number[], flag: "excluded" | "unsure", value: boolean) => Promise<void>;
  bin: (pictureIds: readonly number[]) => Promise<void>;
  note: (pictureIds: readonly number[], note: string) => Promise<void>;
  /** Keeps these and excludes their copies; without any, the largest of each group whose labels agree. */
  keepOfCopies: (pictureIds: readonly number[] | undefined) => Promise<void>;
  dismissCopies: (pictureIds: readonly number[]) => Promise<void>;
  searchCopies: () => Promise<void>;
  /** Puts pictures into a set of a split, or into none; the id of the split as it is then. */
  putInSet: (
    splitId: number,
    pictureIds: readonly number[],
    set: SetName | null,
  ) => Promise<number | undefined>;
  newClass: (name: string) => Promise<void>;
  splitOff: (name: string, pictureIds: readonly number[]) => Promise<void>;
  changeClass: (classId: number, look: ClassLook) => Promise<void>;
  mergeClass: (classId: number, into: number) => Promise<void>;
  deleteClass: (classId: number) => Promise<void>;
  orderClasses: (classIds: readonly number[]) => Promise<void>;
  undo: () => Promise<void>;
  redo: () => Promise<void>;
}

const TOUCHED = ["areas", "pictures", "copies", "findings", "classes", "footing", "splits", "bin", "imports"];

interface Done {
  summary: string;
}

/** How a step is asked for and told. */
interface Steps {
  /** Does it, says what was done, and reads anew; what went wrong is said instead. */
  attempt: (step: () => Promise<string | undefined>) => Promise<void>;
  refresh: () => Promise<void>;
  say: (words: string) => void;
  params: { path: { project_id: number }; header: typeof header };
}

const said = (done: Done) => `${done.summary}. Ctrl + Z takes it back.`;

/** What is done to pictures themselves. */
function pictureSteps({ attempt, params }: Steps): Pick<Mending, "label" | "mark" | "bin" | "note"> {
  return {
    label: (ids, classId) =>
      attempt(async () => {
        const body = { picture_ids: [...ids], class_id: classId };
        return said(await need(client.POST("/api/projects/{project_id}/labels", { params, body })));
      }),
    mark: (ids, flag, value) =>
      attempt(async () => {
        const body = { picture_ids: [...ids], flag, value };
        return said(await need(client.POST("/api/projects/{project_id}/marks", { params, body })));
      }),
    bin: (ids) =>
      attempt(async () => {
        const body = { picture_ids: [...ids], back: false };
        return said(await need(client.POST("/api/projects/{project_id}/bin", { params, body })));
      }),
    note: (ids, note) =>
      attempt(async () => {
        const body = { picture_ids: [...ids], note };
        const done = await need(client.POST("/api/projects/{project_id}/notes", { params, body }));
        // Of one picture the note itself shows it.
        return ids.length > 1 ? said(done) : undefined;
      }),
  };
}

/** What is done about copies. */
function copySteps({
  attempt,
  params,
}: Steps): Pick<Mending, "keepOfCopies" | "dismissCopies" | "searchCopies"> {
  return {
    keepOfCopies: (ids) =>
      attempt(async () => {
        const body = { picture_ids: ids ? [...ids] : null };
        return said(await need(client.POST("/api/projects/{project_id}/copies/keep", { params, body })));
      }),
    dismissCopies: (ids) =>
      attempt(async () => {
        const body = { picture_ids: [...ids] };
        return said(await need(client.POST("/api/projects/{project_id}/copies/dismiss", { params, body })));
      }),
    searchCopies: () =>
      attempt(async () => {
        await need(
          client.POST("/api/projects/{project_id}/copies/search", { params: { path: params.path } }),
        );
        return undefined;
      }),
  };
}

/** What is done to a split. */
function setSteps({ attempt, params }: Steps): Pick<Mending, "putInSet"> {
  return {
    putInSet: async (splitId, ids, set) => {
      let now: number | undefined;
      await attempt(async () => {
        const done = await need(
          client.POST("/api/projects/{project_id}/splits/{split_id}/moves", {
            params: { path: { ...params.path, split_id: splitId }, header },
            body: { picture_ids: [...ids], set_name: set },
          }),
        );
        now = done.split.id;
        return said(done.action);
      });
      return now;
    },
  };
}

const ofClass = (params: Steps["params"], classId: number) => ({
  ...params,
  path: { ...params.path, class_id: classId },
});

/** What gives a class its name: of one that is taken the sheet itself says so, and stays open, so these throw. */
function namingSteps({
  refresh,
  say,
  params,
}: Steps): Pick<Mending, "newClass" | "splitOff" | "changeClass"> {
  return {
    newClass: async (name) => {
      await need(client.POST("/api/projects/{project_id}/classes", { params, body: { name } }));
      await refresh();
    },
    splitOff: async (name, ids) => {
      const body = { name, picture_ids: [...ids] };
      say(said(await need(client.POST("/api/projects/{project_id}/split-off", { params, body }))));
      await refresh();
    },
    changeClass: async (classId, look) => {
      await need(
        client.PATCH("/api/projects/{project_id}/classes/{class_id}", {
          params: ofClass(params, classId),
          body: look,
        }),
      );
      await refresh();
    },
  };
}

/** What is done to classes. */
function classSteps({
  attempt,
  params,
}: Steps): Pick<Mending, "mergeClass" | "deleteClass" | "orderClasses"> {
  return {
    mergeClass: (classId, into) =>
      attempt(async () => {
        const asked = { params: ofClass(params, classId), body: { into } };
        return said(await need(client.POST("/api/projects/{project_id}/classes/{class_id}/merge", asked)));
      }),
    deleteClass: (classId) =>
      attempt(async () => {
        const asked = { params: ofClass(params, classId) };
        return said(await need(client.DELETE("/api/projects/{project_id}/classes/{class_id}", asked)));
      }),
    orderClasses: (classIds) =>
      attempt(async () => {
        const body = { class_ids: [...classIds] };
        await need(client.PUT("/api/projects/{project_id}/classes", { params, body }));
        return undefined;
      }),
  };
}

const takenBack = (done: Done & { kept: number }) =>
  `${done.summary}.${done.kept ? ` ${plural(done.kept, "picture")} changed since and stayed as they are.` : ""}`;

/** Back and forth. */
function historySteps({ attempt, params }: Steps): Pick<Mending, "undo" | "redo"> {
  return {
    undo: () =>
      attempt(async () => takenBack(await need(client.POST("/api/projects/{project_id}/undo", { params })))),
    redo: () =>
      attempt(async () => takenBack(await need(client.POST("/api/projects/{project_id}/redo", { params })))),
  };
}

export function useMending(projectId: number): Mending {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return useMemo(() => {
    const refresh = () =>
      Promise.all(TOUCHED.map((key) => queries.invalidateQueries({ queryKey: [key] }))).then(() => undefined);
    const attempt: Steps["attempt"] = async (step) => {
      try {
        const words = await inTurn(step);
        if (words) say(words);
      } catch (error) {
        fail(error);
      }
      await refresh();
    };
    const steps: Steps = { attempt, refresh, say, params: { path: { project_id: projectId }, header } };
    return {
      ...pictureSteps(steps),
      ...copySteps(steps),
      ...setSteps(steps),
      ...namingSteps(steps),
      ...classSteps(steps),
      ...historySteps(steps),
    };
  }, [projectId, queries, say, fail]);
}
