/** Keeps ingredients by name and forgets names, whatever kind they are of. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { client, need } from "../../api/client";

interface How {
  /** Refuse a name that is there already. */
  readonly fresh?: boolean;
  /** The newest value as this window saw it: refused if another window has changed it since. */
  readonly was?: Record<string, unknown>;
}

export function useKeptByName(projectId: number, kind: "variation" | "preprocessing" | "network") {
  const queries = useQueryClient();
  const save = useCallback(
    async (name: string, value: Record<string, unknown>, how: How = {}) => {
      const made = await need(
        client.POST("/api/projects/{project_id}/ingredients/{kind}", {
          params: { path: { project_id: projectId, kind } },
          body: { name, value, new: how.fresh ?? false, was: how.was ?? null },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["ingredients"] });
      return made;
    },
    [projectId, kind, queries],
  );
  const forget = useCallback(
    async (id: number) => {
      await need(
        client.DELETE("/api/projects/{project_id}/ingredients/{kind}/{ingredient_id}", {
          params: { path: { project_id: projectId, kind, ingredient_id: id } },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["ingredients"] });
    },
    [projectId, kind, queries],
  );
  return { save, forget };
}
