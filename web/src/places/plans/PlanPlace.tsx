/** A plan: how far it is, what its runs say together, and what comes after it. */
import { useState } from "react";
import type { Recipe, RunPlan } from "../../api/client";
import { useRunPlan } from "../../api/planQueries";
import { useAddress } from "../../app/context";
import { Failed, Reading } from "../../parts/States";
import { CopiesView } from "./CopiesView";
import { FoldsView } from "./FoldsView";
import { PlanHead } from "./PlanHead";
import { SearchView } from "./SearchView";
import { Trainers } from "./Trainers";

interface Props {
  planId: number;
  onRecipe: (recipe: Recipe) => void;
}

export function PlanPlace({ planId, onRecipe }: Props) {
  const plan = useRunPlan(planId);
  if (plan.error) return <Failed error={plan.error} onRetry={() => void plan.refetch()} />;
  if (!plan.data) return <Reading what="the plan" />;
  return <Shown plan={plan.data} onRecipe={onRecipe} key={planId} />;
}

function Shown({ plan, onRecipe }: { plan: RunPlan; onRecipe: (recipe: Recipe) => void }) {
  const [, setAddress] = useAddress();
  const [chosen, setChosen] = useState<number>();
  const show = (runId: number) => setAddress({ part: undefined, plan: undefined, run: String(runId) });
  return (
    <div className="flex h-full flex-col" data-testid="plan" data-state={plan.state}>
      <PlanHead plan={plan} onShow={show} onRecipe={onRecipe} />
      <div className="min-h-0 flex-1">
        {plan.kind === "trials" && (
          <SearchView plan={plan} chosen={chosen} onChoose={setChosen} onShow={show} />
        )}
        {plan.kind === "folds" && <FoldsView plan={plan} onShow={show} />}
        {plan.kind === "copies" && <CopiesView plan={plan} onShow={show} />}
      </div>
      {plan.state !== "ended" && <Trainers />}
    </div>
  );
}
