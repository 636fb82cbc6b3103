/** A look at the test set: counted when it is asked for, and good until the page is left or the run changes. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, type Job, need, type Run } from "../api/client";
import { useJobs } from "../api/queries";
import { isActive } from "../domain/jobs";
import { useNotices } from "../parts/Notices";

interface Look {
  readonly run: number;
  readonly id: number;
  readonly job: number | null;
}

export interface Looking {
  /** The look that was counted for this run. */
  readonly look: number | undefined;
  /** The work that must end before there are results to look at. */
  readonly judging: Job | undefined;
  /** Counts one, and says whether that went well. */
  readonly take: () => Promise<boolean>;
}

export function useLook(run: Run | undefined, place: string): Looking {
  const [taken, setTaken] = useState<Look>();
  const { data: jobs = [] } = useJobs();
  const { fail } = useNotices();
  const queries = useQueryClient();
  const here = taken?.run === run?.id ? taken : undefined;

  const take = async () => {
    if (!run) return false;
    try {
      const counted = await need(
        client.POST("/api/runs/{run_id}/looks", { params: { path: { run_id: run.id } }, body: { place } }),
      );
      // The tray is read first, so that the job that must end before there are results is known.
      await queries.invalidateQueries({ queryKey: ["jobs"] });
      setTaken({ run: run.id, id: counted.id, job: counted.job_id });
      void queries.invalidateQueries({ queryKey: ["runs"] });
      return true;
    } catch (error) {
      fail(error);
      return false;
    }
  };
  const judging = jobs.find((job) => job.id === here?.job && isActive(job));
  return { look: here?.id, judging, take };
}
