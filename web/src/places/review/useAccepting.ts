/** Takes what a model proposes for unlabelled pictures, as one step. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { client, header, need } from "../../api/client";
import { inTurn } from "../../api/inTurn";
import { useNotices } from "../../parts/Notices";

export interface Accepted {
  /** At least as probable. */
  readonly least?: number;
  /** Of one class alone. */
  readonly classId?: number | undefined;
  readonly pictureIds?: readonly number[];
}

const TOUCHED = ["pictures", "judgement", "classes", "footing", "splits", "outside"];

export function useAccepting(modelId: number): (asked: Accepted) => void {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  return useMemo(
    () =>
      ({ least = 0, classId, pictureIds }) => {
        const body = {
          least,
          class_id: classId ?? null,
          picture_ids: pictureIds ? [...pictureIds] : null,
        };
        const asked = { params: { path: { model_id: modelId }, header }, body };
        void inTurn(() => need(client.POST("/api/models/{model_id}/proposals", asked)))
          .then((done) => say(`${done.summary}. Ctrl + Z takes it back.`))
          .catch(fail)
          .finally(() => {
            for (const key of TOUCHED) void queries.invalidateQueries({ queryKey: [key] });
          });
      },
    [modelId, queries, say, fail],
  );
}
