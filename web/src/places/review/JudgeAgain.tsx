/** What was not judged yet, or not with all that is asked now, and the way to it. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, type Model, need } from "../../api/client";
import { useJobs } from "../../api/queries";
import { isActive, jobWords } from "../../domain/jobs";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Empty } from "../../parts/States";

interface Props {
  model: Model;
  set: "training" | "validation";
  title: string;
  words: string;
}

export function JudgeAgain({ model, set, title, words }: Props) {
  const { data: jobs = [] } = useJobs();
  const { fail } = useNotices();
  const queries = useQueryClient();
  const [asked, setAsked] = useState(false);
  const active = jobs.find(
    (job) =>
      isActive(job) &&
      ((job.kind === "train" && job.subject_id === model.run_id) ||
        (job.kind === "judge" && job.subject_id === model.id)),
  );
  const judge = async () => {
    setAsked(true);
    try {
      await need(
        client.POST("/api/models/{model_id}/judgements", {
          params: { path: { model_id: model.id } },
          body: { set },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      fail(error);
    }
    setAsked(false);
  };
  return (
    <Empty title={title}>
      {active ? (
        <p role="status">{jobWords(active)} …</p>
      ) : (
        <>
          <p className="mb-4">{words}</p>
          <Button kind="main" disabled={asked} onClick={() => void judge()}>
            Judge run {model.run_number}
          </Button>
        </>
      )}
    </Empty>
  );
}
