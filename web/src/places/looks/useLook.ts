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

async function countLook(model: number, place: string): Promise<Look> {
  const params = { path: { model_id: model } };
  const counted = await need(client.POST("/api/models/{model_id}/looks", { params, body: { place } }));
  return { model, id: counted.id, job: counted.job_id };
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
      const counted = await countLook(model.id, place);
      // The tray is read first, so that the job that must end before there are results is known.
      await queries.invalidateQueries({ queryKey: ["jobs"] });
      setTaken(counted);
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

export interface Looks {
  /** One for each model, in their order. */
  readonly looks: readonly number[] | undefined;
  /** The work that must end before there are results to look at. */
  readonly judging: Job | undefined;
  readonly take: () => void;
  readonly drop: () => void;
}

/** The same for several models at once; good while it is these that are looked at. */
export function useLooks(models: readonly (number | undefined)[]): Looks {
  const [taken, setTaken] = useState<readonly Look[]>([]);
  const { data: jobs = [] } = useJobs();
  const { fail } = useNotices();
  const queries = useQueryClient();
  const same = taken.length > 0 && taken.map((look) => look.model).join() === models.join();
  const take = async () => {
    try {
      const counted: Look[] = [];
      for (const model of models) if (model) counted.push(await countLook(model, "compare"));
      await queries.invalidateQueries({ queryKey: ["jobs"] });
      setTaken(counted);
      void queries.invalidateQueries({ queryKey: ["runs"] });
    } catch (error) {
      fail(error);
    }
  };
  return {
    looks: same ? taken.map((look) => look.id) : undefined,
    judging: same
      ? jobs.find((job) => taken.some((look) => look.job === job.id) && isActive(job))
      : undefined,
    take: () => void take(),
    drop: () => setTaken([]),
  };
}
