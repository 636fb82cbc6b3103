/** What is done to projects as a whole, with what is said of it. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { client, header, need, type Project, type SampleSize } from "../api/client";
import { useNotices } from "../parts/Notices";
import { upload } from "../places/bring-in/bringIn";

export interface ProjectActions {
  create: (value: { name: string; description: string }, sample: SampleSize | null) => Promise<void>;
  describe: (project: Project, value: { name: string; description: string }) => Promise<void>;
  duplicate: (project: Project, name: string, withRuns: boolean) => Promise<void>;
  putAway: (project: Project, away: boolean) => void;
  remove: (project: Project) => void;
  restore: (project: Project) => void;
  removeForGood: (project: Project) => void;
}

const of = (project: Project) => ({ params: { path: { project_id: project.id } } });

export function useProjectActions(): ProjectActions {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say, fail } = useNotices();
  const refresh = () => queries.invalidateQueries({ queryKey: ["projects"] });
  return {
    create: async (value, sample) => {
      const made = await need(client.POST("/api/projects", { body: { ...value, sample } }));
      await refresh();
      navigate(`/p/${made.id}/rows`);
    },
    describe: async (project, value) => {
      await need(client.PATCH("/api/projects/{project_id}", { ...of(project), body: value }));
      await refresh();
    },
    duplicate: async (project, name, withRuns) => {
      const body = { name, with_runs: withRuns };
      await need(client.POST("/api/projects/{project_id}/duplicate", { ...of(project), body }));
      await refresh();
    },
    putAway: (project, away) =>
      void need(client.PUT("/api/projects/{project_id}/put-away", { ...of(project), body: { away } }))
        .then(refresh)
        .catch(fail),
    remove: (project) =>
      void need(client.DELETE("/api/projects/{project_id}", of(project)))
        .then(refresh)
        .then(() => say(`${project.name} lies in the bin below and can be restored.`))
        .catch(fail),
    restore: (project) =>
      void need(client.POST("/api/projects/{project_id}/restore", of(project)))
        .then(refresh)
        .catch(fail),
    removeForGood: (project) =>
      void need(client.DELETE("/api/projects/{project_id}/for-good", of(project)))
        .catch(fail)
        .finally(refresh),
  };
}

/** Sends a project's archive and has it brought back. */
export function useBringingBack(): { sending: boolean; bringBack: (file: File) => Promise<void> } {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [sending, setSending] = useState(false);
  const bringBack = async (file: File) => {
    setSending(true);
    try {
      const path = file.name;
      const uploadId = await upload([{ path, file }], () => {}, new AbortController().signal);
      await need(
        client.POST("/api/projects/bring-back", {
          params: { header },
          body: { upload_id: uploadId, name: path.replace(/\.zip$/i, "").slice(0, 200) || "project" },
        }),
      );
      say(`${path} is being brought back, see the tray.`);
    } catch (error) {
      fail(error);
    }
    setSending(false);
    void queries.invalidateQueries({ queryKey: ["projects"] });
  };
  return { sending, bringBack };
}
