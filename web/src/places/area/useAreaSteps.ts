/** What is done to working areas, each a step of the history. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import type { FreshBy } from "../../api/areaQueries";
import { type AreaRule, client, header, need } from "../../api/client";
import { inTurn } from "../../api/inTurn";
import { type Area, storable } from "../../domain/area";
import { useNotices } from "../../parts/Notices";

export interface RulesUpdate {
  readonly rules: readonly AreaRule[];
  readonly freshBy: FreshBy;
  readonly margin: number;
  /** Number of the version that these were made of. */
  readonly was: number;
}

/** Each is true if it was done. */
export function useAreaSteps(projectId: number) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return useMemo(() => {
    const params = { path: { project_id: projectId }, header };
    const attempt = async (step: () => Promise<{ summary: string }>): Promise<boolean> => {
      try {
        say(`${(await inTurn(step)).summary}. Ctrl + Z takes it back.`);
        return true;
      } catch (error) {
        fail(error);
        return false;
      } finally {
        for (const key of ["areas", "pictures", "footing"])
          void queries.invalidateQueries({ queryKey: [key] });
      }
    };
    return {
      setRules: ({ rules, freshBy, margin, was }: RulesUpdate) =>
        attempt(() =>
          need(
            client.PUT("/api/projects/{project_id}/area-rules", {
              params,
              body: { rules: [...rules], fresh_by: freshBy, margin, was },
            }),
          ),
        ),
      giveOwn: (pictureIds: readonly number[], area: Area | null) =>
        attempt(() =>
          need(
            client.POST("/api/projects/{project_id}/areas", {
              params,
              body: { picture_ids: [...pictureIds], area: area && storable(area) },
            }),
          ),
        ),
    };
  }, [projectId, queries, say, fail]);
}
