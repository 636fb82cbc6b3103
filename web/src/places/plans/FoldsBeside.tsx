/** Two set-ups over the same folds: by how much the second is better, and whether that may be chance. */
import { useState } from "react";
import type { RunPlan } from "../../api/client";
import { useFoldsBeside, usePlans } from "../../api/planQueries";
import { besideWords } from "../../domain/plans";

export function FoldsBeside({ plan }: { plan: RunPlan }) {
  const [other, setOther] = useState<number>();
  const { data: plans = [] } = usePlans(plan.project_id);
  const others = plans.filter(
    (entry) => entry.kind === "folds" && entry.id !== plan.id && entry.value !== null,
  );
  const beside = useFoldsBeside(plan.id, other);
  if (!others.length || !plan.found?.accuracy) return null;
  return (
    <section className="mt-3" aria-label="Beside another set-up" data-testid="folds-beside">
      <label className="flex items-center gap-2">
        <span className="text-quiet">Beside</span>
        <select
          value={other ?? ""}
          onChange={(event) => setOther(Number(event.target.value) || undefined)}
          className="rounded-control cursor-pointer border border-edge bg-surface px-2 py-1"
        >
          <option value="">another set-up on the same folds …</option>
          {others.map((entry) => (
            <option key={entry.id} value={entry.id}>
              {entry.question}
            </option>
          ))}
        </select>
      </label>
      {beside.error && (
        <p role="alert" className="mt-1 text-wrong">
          {beside.error.message}
        </p>
      )}
      {beside.data && (
        <p className="mt-1">
          {beside.data.failure ? (
            <span className="text-wrong">{beside.data.failure}</span>
          ) : (
            besideWords(beside.data.difference ?? null)
          )}
        </p>
      )}
    </section>
  );
}
