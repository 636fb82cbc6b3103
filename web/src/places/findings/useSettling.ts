/** Settles findings, each as one step, with what the server says of it. */
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { client, header, need } from "../../api/client";
import { inTurn } from "../../api/inTurn";
import { useNotices } from "../../parts/Notices";

export interface Settling {
  /** Looks at everything again. */
  look: () => void;
  /** Has folds of a small network answer about every picture. */
  askFolds: () => void;
  /** Says that pictures have no such fault, for good; all that wait, where none is named. */
  dismiss: (kind: string, ids?: readonly number[]) => void;
  /** Gives pictures the class that they probably are of. */
  putRight: (ids?: readonly number[]) => void;
  hide: (name: string, hidden: boolean) => void;
}

const TOUCHED = ["findings", "pictures", "judgement", "classes", "footing", "jobs", "plans"];

async function refresh(queries: QueryClient): Promise<void> {
  await Promise.all(TOUCHED.map((key) => queries.invalidateQueries({ queryKey: [key] })));
}

export function useSettling(projectId: number): Settling {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return useMemo(() => {
    const path = { project_id: projectId };
    const attempt = (step: () => Promise<string | undefined>) =>
      void inTurn(step)
        .then((words) => words && say(words))
        .catch(fail)
        .finally(() => void refresh(queries));
    const said = (done: { summary: string }) => `${done.summary}. Ctrl + Z takes it back.`;
    const named = (ids: readonly number[] | undefined) => (ids ? [...ids] : null);
    return {
      look: () =>
        attempt(async () => {
          await need(client.POST("/api/projects/{project_id}/findings/look", { params: { path } }));
          return undefined;
        }),
      askFolds: () =>
        attempt(async () => {
          await need(client.POST("/api/projects/{project_id}/findings/folds", { params: { path } }));
          return "Folds are being trained; when they have answered, labels are held against that.";
        }),
      dismiss: (kind, ids) =>
        attempt(async () => {
          const body = { kind, picture_ids: named(ids) };
          const params = { path, header };
          return said(
            await need(client.POST("/api/projects/{project_id}/findings/dismiss", { params, body })),
          );
        }),
      putRight: (ids) =>
        attempt(async () => {
          const body = { picture_ids: named(ids) };
          const params = { path, header };
          return said(
            await need(client.POST("/api/projects/{project_id}/findings/put-right", { params, body })),
          );
        }),
      hide: (name, hidden) =>
        attempt(async () => {
          const body = { name, hidden };
          await need(client.POST("/api/projects/{project_id}/findings/hide", { params: { path }, body }));
          return undefined;
        }),
    };
  }, [projectId, queries, say, fail]);
}
