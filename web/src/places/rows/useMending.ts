/** Labelling and taking back, with what the server says of it. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { client, header, need } from "../../api/client";
import { plural } from "../../domain/words";
import { useNotices } from "../../parts/Notices";

export interface Mending {
  label: (pictureIds: readonly number[], classId: number | null) => Promise<void>;
  bin: (pictureIds: readonly number[]) => Promise<void>;
  note: (pictureId: number, note: string) => Promise<void>;
  undo: () => Promise<void>;
}

export function useMending(projectId: number): Mending {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const refresh = useCallback(() => {
    for (const key of ["pictures", "classes", "footing", "outcomes", "splits", "bin", "imports"]) {
      void queries.invalidateQueries({ queryKey: [key] });
    }
  }, [queries]);

  const label = useCallback(
    async (pictureIds: readonly number[], classId: number | null) => {
      if (!pictureIds.length) return;
      try {
        const done = await need(
          client.POST("/api/projects/{project_id}/labels", {
            params: { path: { project_id: projectId }, header },
            body: { picture_ids: [...pictureIds], class_id: classId },
          }),
        );
        say(`${done.summary}. Ctrl + Z takes it back.`);
      } catch (error) {
        fail(error);
      }
      refresh();
    },
    [projectId, refresh, say, fail],
  );

  const bin = useCallback(
    async (pictureIds: readonly number[]) => {
      try {
        const done = await need(
          client.POST("/api/projects/{project_id}/bin", {
            params: { path: { project_id: projectId }, header },
            body: { picture_ids: [...pictureIds], back: false },
          }),
        );
        say(`${done.summary}. Ctrl + Z takes it back.`);
      } catch (error) {
        fail(error);
      }
      refresh();
    },
    [projectId, refresh, say, fail],
  );

  const note = useCallback(
    async (pictureId: number, text: string) => {
      try {
        await need(
          client.PUT("/api/projects/{project_id}/pictures/{picture_id}/note", {
            params: { path: { project_id: projectId, picture_id: pictureId }, header },
            body: { note: text },
          }),
        );
      } catch (error) {
        fail(error);
      }
      refresh();
    },
    [projectId, refresh, fail],
  );

  const undo = useCallback(async () => {
    try {
      const done = await need(
        client.POST("/api/projects/{project_id}/undo", {
          params: { path: { project_id: projectId }, header },
        }),
      );
      const kept = done.kept ? ` ${plural(done.kept, "picture")} changed since and stayed as they are.` : "";
      say(`${done.summary}.${kept}`);
    } catch (error) {
      fail(error);
    }
    refresh();
  }, [projectId, refresh, say, fail]);

  return { label, bin, note, undo };
}
