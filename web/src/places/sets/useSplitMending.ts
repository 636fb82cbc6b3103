/** What a press mends about a split: its next version, if a run has used it. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, header, need, type Split } from "../../api/client";
import { useNotices } from "../../parts/Notices";

export function useSplitMending(projectId: number, splitId: number, onSplit: (split: Split) => void) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [busy, setBusy] = useState(false);
  const path = { project_id: projectId, split_id: splitId };
  const mend = async (way: "gather" | "top-up") => {
    setBusy(true);
    try {
      const asked = { params: { path, header } };
      const done = await need(
        way === "gather"
          ? client.POST("/api/projects/{project_id}/splits/{split_id}/gather", asked)
          : client.POST("/api/projects/{project_id}/splits/{split_id}/top-up", asked),
      );
      await queries.invalidateQueries({ queryKey: ["splits"] });
      say(`${done.action.summary}.`);
      onSplit(done.split);
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return { busy, mend };
}
