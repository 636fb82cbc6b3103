/** A look at the test set: counted when it is asked for, and good until the page is left or the run changes. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, type Job, type Model, need } from "../../api/client";
import { useJobs } from "../../api/queries";
import { isActive } from "../../domain/jobs";
import { useNotices } from "../../parts/Notices";

interface Look {
  readonly model: number;
  readonly id: number;
  readonly job: number | null;
}

export interface Looking {
  /** The look that was counted for this model. */
  readonly look: number | undefined;
  /** The work that must end before there are results to look at. */
  readonly judging: Job | undefined;
  /** Counts one, and says whether that went well. */
  readonly take: () => Promise<boolean>;
}

export function useLook(model: Model | null | undefined, place: string): Looking {
  const [taken, setTaken] = useState<Look>();
  const { data: jobs = [] } = useJobs();
  const { fail } = useNotices();
  const queries = useQueryClient();
  const here = taken?.model === model?.id ? taken : undefined;

  const take = async () => {
    if (!model) return false;
    try {
      const counted = await need(
        client.POST("/api/models/{model_id}/looks", {
          params: { path: { model_id: model.id } },
          body: { place },
        }),
      );
      // The tray is read first, so that the job that must end before there are results is known.
      await queries.invalidateQueries({ queryKey: ["jobs"] });
      setTaken({ model: model.id, id: counted.id, job: counted.job_id });
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
