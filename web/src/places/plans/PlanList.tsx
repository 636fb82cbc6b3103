/** The plans of a project, newest first, and who does what at present. */
import { usePlans } from "../../api/planQueries";
import { KINDS, outcomeWords, planStateWords } from "../../domain/plans";
import { duration, moment, plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { Empty, Failed, Reading } from "../../parts/States";
import { Trainers } from "./Trainers";

interface Props {
  projectId: number;
  onBack: () => void;
  onPlan: () => void;
  onShow: (planId: number) => void;
}

export function PlanList({ projectId, onBack, onPlan, onShow }: Props) {
  const plans = usePlans(projectId);
  if (plans.error) return <Failed error={plans.error} onRetry={() => void plans.refetch()} />;
  if (!plans.data) return <Reading what="the plans" />;
  return (
    <div className="flex h-full flex-col" data-testid="plans">
      <header className="flex items-center gap-4 border-b border-hairline px-4 py-2">
        <Button onClick={onBack}>‹ Run sheet</Button>
        <h2 className="flex-1 text-lg font-semibold">Plans of several runs</h2>
        <Button kind="main" onClick={onPlan}>
          Plan several runs
        </Button>
      </header>
      {plans.data.length === 0 ? (
        <div className="min-h-0 flex-1">
          <Empty title="No plan yet">
            One run says little. A plan trains several for one question: which settings are best, how sure a
            result is, how much of it is luck.
          </Empty>
        </div>
      ) : (
        <ol className="min-h-0 flex-1 overflow-y-auto">
          {plans.data.map((plan) => (
            <li key={plan.id} className="border-b border-hairline">
              <button
                type="button"
                onClick={() => onShow(plan.id)}
                className="grid w-full cursor-pointer grid-cols-[minmax(0,1fr)_130px_minmax(0,1.4fr)_120px_150px] gap-4 px-5 py-2 text-left hover:bg-sunken"
              >
                <b className="truncate">{plan.question}</b>
                <span className="text-quiet">{KINDS.find((kind) => kind.value === plan.kind)?.label}</span>
                <span className={`truncate ${plan.ended_by === "failed" ? "text-wrong" : ""}`}>
                  {planStateWords(plan)}
                  {outcomeWords(plan) && `: ${outcomeWords(plan)}`}
                  {plan.failed > 0 && plan.ended_by !== "failed"
                    ? ` ${plural(plan.failed, "run")} failed.`
                    : ""}
                </span>
                <span className="text-quiet">{plan.train_s ? `trained ${duration(plan.train_s)}` : ""}</span>
                <span className="text-quiet">{moment(plan.created_at)}</span>
              </button>
            </li>
          ))}
        </ol>
      )}
      <Trainers />
    </div>
  );
}
