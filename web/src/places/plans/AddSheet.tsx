/** More to do for a search: further trials, another time. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { RunPlan } from "../../api/client";
import { addToPlan } from "../../api/planQueries";
import { NumberField } from "../../parts/NumberField";
import { SheetForm } from "../../parts/SheetForm";

export function AddSheet({ plan, onClose }: { plan: RunPlan; onClose: () => void }) {
  const queries = useQueryClient();
  const [trials, setTrials] = useState(12);
  const [minutes, setMinutes] = useState(plan.minutes);
  return (
    <SheetForm
      title={`More for “${plan.question}”`}
      action="Add"
      ready={trials > 0 || minutes !== plan.minutes}
      onClose={onClose}
      onSubmit={() => addToPlan(queries, plan.id, { trials, minutes })}
    >
      <NumberField
        label="Further trials"
        help={`Beside the ${plan.total} that there are, chosen in the same way.`}
        value={trials}
        min={0}
        max={1000}
        onChange={setTrials}
      />
      <NumberField
        label="Minutes of training in all"
        help="After that no further trial begins. 0 is no limit."
        value={minutes}
        min={0}
        max={100_000}
        step="any"
        onChange={setMinutes}
      />
    </SheetForm>
  );
}
