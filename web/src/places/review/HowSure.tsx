/** How sure the figures of a judged set are, whether probabilities can be believed, and when to say "unsure". */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import {
  client,
  type JudgedSet,
  type Judgement,
  type Model,
  need,
  type UnsureUpdate,
} from "../../api/client";
import { useJudgedSets, useSureness } from "../../api/judgingQueries";
import { buttonLook } from "../../parts/Button";
import { useNotices } from "../../parts/Notices";
import { Failed, Reading } from "../../parts/States";
import { AnsweringPlot } from "./AnsweringPlot";
import { CalibrationPlot } from "./CalibrationPlot";
import { IntervalTable } from "./IntervalTable";
import { JudgeAgain } from "./JudgeAgain";

interface Props {
  model: Model;
  set: JudgedSet;
  look: number | undefined;
  judgement: Judgement;
}

export function HowSure({ model, set, look, judgement }: Props) {
  const judged = useJudgedSets(model.id);
  const known = judged.data?.some((entry) => entry.set === set && entry.sure) ?? false;
  const found = useSureness(model.id, set, look, known);
  const { busy, setUnsure } = useUnsure(model);
  // What an earlier version judged: the figures are there, and what stands behind them is not.
  if (judged.data && !known && set !== "test")
    return (
      <JudgeAgain
        model={model}
        set={set === "outside" || set === "training" ? set : "validation"}
        title="Not computed yet"
        words="An earlier version judged this model. Judging it again computes intervals and calibration too."
      />
    );
  if (found.isError) return <Failed error={found.error} onRetry={() => void found.refetch()} />;
  if (!found.data) return <Reading what="how sure it is" />;
  const query = set === "test" ? `?set=test&look=${look}` : `?set=${set}`;
  return (
    <div className="flex min-h-0 flex-1" data-testid="how-sure">
      <div className="w-[500px] shrink-0 overflow-y-auto border-r border-hairline px-4 py-3">
        <div className="mb-1 flex items-baseline justify-between">
          <h3 className="font-semibold">Figures and between what they are, 95 %</h3>
          <span>
            <a className={buttonLook("bare")} href={`/api/models/${model.id}/scores.csv${query}`} download>
              CSV
            </a>
            <a
              className={buttonLook("bare")}
              href={`/api/models/${model.id}/answers.csv${query}`}
              title="Every answer beside the truth"
              download
            >
              Answers
            </a>
          </span>
        </div>
        <IntervalTable model={model} judgement={judgement} sure={found.data} />
      </div>
      <div className="flex min-w-0 flex-1 flex-col gap-5 overflow-y-auto px-5 py-3">
        <CalibrationPlot sure={found.data} />
        <AnsweringPlot
          key={set}
          model={model}
          set={set}
          answering={found.data.answering}
          busy={busy}
          onSet={setUnsure}
        />
      </div>
    </div>
  );
}

function useUnsure(model: Model) {
  const { fail } = useNotices();
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const setUnsure = async (body: UnsureUpdate) => {
    setBusy(true);
    try {
      await need(
        client.PUT("/api/models/{model_id}/unsure", { params: { path: { model_id: model.id } }, body }),
      );
      await queries.invalidateQueries({ queryKey: ["runs"] });
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return { busy, setUnsure: (body: UnsureUpdate) => void setUnsure(body) };
}
