/** A split: its bars by class, how exactly it met what was wanted, its checks, and what can be done about them. */
import { useState } from "react";
import type { ClassOf, Split } from "../../api/client";
import { ruleWords, splitName } from "../../domain/splitWords";
import { Button } from "../../parts/Button";
import { SplitBeside } from "./SplitBeside";
import { SplitChecks } from "./SplitChecks";
import { SplitCounts } from "./SplitCounts";
import { SplitFolds } from "./SplitFolds";

interface Props {
  projectId: number;
  classes: readonly ClassOf[];
  splits: readonly Split[];
  split: Split;
  onSplit: (split: Split) => void;
  /** Takes the sheet away, so that the pictures behind it are seen. */
  onClose: () => void;
}

export function SplitView(props: Props) {
  const { splits, split, onSplit } = props;
  const [more, setMore] = useState<"folds" | "beside">();
  return (
    <div className="min-w-0" data-testid="split-counts">
      <div className="mb-1 flex flex-wrap items-baseline gap-x-3">
        {splits.length > 1 ? (
          <select
            aria-label="Split"
            value={split.id}
            onChange={(event) => {
              const chosen = splits.find((entry) => entry.id === Number(event.target.value));
              if (chosen) onSplit(chosen);
            }}
            className="rounded-control border border-edge bg-surface px-2 py-0.5 font-semibold"
          >
            {splits.map((entry) => (
              <option key={entry.id} value={entry.id}>
                {splitName(entry)}
              </option>
            ))}
          </select>
        ) : (
          <h3 className="font-semibold">{splitName(split)}</h3>
        )}
        <span className="text-sm text-quiet">{ruleWords(split)}</span>
        <span className="ml-auto text-sm text-quiet">
          {split.runs.length
            ? `used by ${split.runs.length === 1 ? "run" : "runs"} ${split.runs.join(", ")}: a change makes its next version`
            : "no run has used it yet"}
        </span>
      </div>
      <SplitCounts {...props} />
      <SplitChecks {...props} />
      <div className="mt-3 flex gap-2">
        <Button onClick={() => setMore(more === "folds" ? undefined : "folds")}>Folds</Button>
        {splits.length > 1 && (
          <Button onClick={() => setMore(more === "beside" ? undefined : "beside")}>
            Beside another split
          </Button>
        )}
      </div>
      {more === "folds" && <SplitFolds {...props} />}
      {more === "beside" && <SplitBeside {...props} />}
    </div>
  );
}
