/** What a model proposes for unlabelled pictures, taken a class or all at once from a certainty on. */
import { useState } from "react";
import type { ClassOf, Model } from "../../api/client";
import { useProposals } from "../../api/judgingQueries";
import { colourPlace } from "../../domain/classColour";
import { Button } from "../../parts/Button";
import { ClassSign } from "../../parts/ClassSign";
import type { Accepted } from "./useAccepting";

interface Props {
  model: Model;
  classes: readonly ClassOf[];
  onAccept: (asked: Accepted) => void;
}

export function Proposals({ model, classes, onAccept }: Props) {
  const [percent, setPercent] = useState(95);
  const least = percent / 100;
  const found = useProposals(model.id, least);
  const proposals = found.data ?? [];
  const certain = proposals.reduce((sum, entry) => sum + entry.certain, 0);
  if (!proposals.length) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 px-4 pb-1" data-testid="proposals">
      <label className="flex items-center gap-2">
        <span className="text-quiet">Take what is at least</span>
        <input
          type="range"
          min={50}
          max={99}
          value={percent}
          aria-label="Least certainty, percent"
          onChange={(event) => setPercent(Number(event.target.value))}
          className="w-28 accent-choice"
        />
        <span className="w-9 font-mono">{least.toFixed(2)}</span>
        <span
          className="text-quiet"
          title={
            model.temperature === null
              ? undefined
              : "By the model's temperature; tiles show the plain probability"
          }
        >
          sure{model.temperature === null ? "" : ", calibrated"}:
        </span>
      </label>
      <Button disabled={!certain} onClick={() => onAccept({ least })}>
        All {certain.toLocaleString("en")}
      </Button>
      {proposals.map((entry) => {
        const known = classes.find((item) => item.id === entry.class_id);
        if (!known) return null;
        return (
          <Button
            key={entry.class_id}
            kind="bare"
            disabled={!entry.certain}
            title={`${entry.certain} of ${entry.waiting} that it proposes ${known.name} for`}
            onClick={() => onAccept({ least, classId: entry.class_id })}
          >
            <ClassSign place={colourPlace(known)} sign={known.sign} /> {known.name}{" "}
            {entry.certain.toLocaleString("en")}
          </Button>
        );
      })}
    </div>
  );
}
