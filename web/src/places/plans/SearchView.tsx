/** A search read: curves of all trials, best so far, accuracy against cost; strips of what was varied; the table. */
import { useMemo, useState } from "react";
import type { RunPlan } from "../../api/client";
import { usePlanCurves } from "../../api/planQueries";
import { type Ranges, shades, trustWords, within } from "../../domain/plans";
import { BestSoFar } from "./BestSoFar";
import { CostScatter } from "./CostScatter";
import { Strips } from "./Strips";
import { TrialCurves } from "./TrialCurves";
import { TrialTable } from "./TrialTable";

interface Props {
  plan: RunPlan;
  chosen: number | undefined;
  onChoose: (trial: number | undefined) => void;
  onShow: (runId: number) => void;
}

export interface Marked {
  /** 1 of the best trial, 0 of the last, by its number. */
  readonly shades: ReadonlyMap<number, number>;
  /** Trials that lie in the ranges that were chosen. */
  readonly inside: ReadonlySet<number>;
  readonly chosen: number | undefined;
  readonly onChoose: (trial: number | undefined) => void;
}

export function SearchView({ plan, chosen, onChoose, onShow }: Props) {
  const [ranges, setRanges] = useState<Ranges>({});
  const curves = usePlanCurves(plan.id, plan.by);
  const inside = useMemo(() => within(plan, ranges), [plan, ranges]);
  const marked: Marked = { shades: useMemo(() => shades(plan), [plan]), inside, chosen, onChoose };
  return (
    <div className="flex h-full flex-col">
      <div className="grid h-[38%] min-h-[220px] shrink-0 grid-cols-[minmax(0,2fr)_minmax(0,1fr)_minmax(0,1fr)] gap-3 px-4 pt-2">
        <TrialCurves plan={plan} curves={curves.data ?? {}} marked={marked} />
        <BestSoFar plan={plan} />
        <CostScatter plan={plan} marked={marked} />
      </div>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,11fr)_minmax(0,10fr)] border-t border-hairline">
        <section className="flex min-h-0 flex-col border-r border-hairline" aria-label="What was varied">
          <div className="min-h-0 flex-1 overflow-y-auto px-4 pt-1">
            <Strips plan={plan} marked={marked} ranges={ranges} onRanges={setRanges} />
          </div>
          <p className="shrink-0 px-4 py-1 text-sm text-quiet" data-testid="trust">
            {trustWords(plan)}
          </p>
        </section>
        <TrialTable plan={plan} marked={marked} onShow={onShow} />
      </div>
    </div>
  );
}
