/** The way to have a model judged on a set; while that is done, how far it is. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { client, type Model, need } from "../../api/client";
import { useJobs } from "../../api/queries";
import { isActive, jobWords } from "../../domain/jobs";
import { Button } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";

export interface Asked {
  model: Model;
  set: "training" | "validation" | "outside";
}

/** The work that judges the model now, and what asks for it. */
function useJudging({ model, set }: Asked) {
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
  return { active, asked, judge: () => void judge() };
}

interface ButtonProps extends Asked {
  words: string;
  main?: boolean;
}

/** Asks for it; while it is done, says how far it is. */
export function JudgeButton({ words, main, ...of }: ButtonProps) {
  const { active, asked, judge } = useJudging(of);
  const status = useRef<HTMLParagraphElement>(null);
  // With the button its focus would go, and the keys of what lies around with it.
  useEffect(() => {
    if (active && document.activeElement === document.body) status.current?.focus();
  }, [active]);
  if (active)
    return (
      <p role="status" ref={status} tabIndex={-1} className="outline-none">
        {jobWords(active)} …
      </p>
    );
  return (
    <Button kind={main ? "main" : "plain"} disabled={asked} onClick={judge}>
      {words}
    </Button>
  );
}
