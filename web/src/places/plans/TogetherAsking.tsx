/** Asks which models are to answer as one, and how much each counts. */
import { useState } from "react";
import { combineModels } from "../../api/planQueries";
import { score } from "../../domain/words";
import { Choice } from "../../parts/Choice";
import { useNotices } from "../../parts/Notices";
import { SheetForm } from "../../parts/SheetForm";
import { TextField } from "../../parts/TextField";

export interface Candidate {
  readonly modelId: number;
  readonly words: string;
  readonly accuracy: number | null;
}

interface Props {
  projectId: number;
  candidates: readonly Candidate[];
  chosen: readonly number[];
  onClose: () => void;
}

export function TogetherAsking({ projectId, candidates, chosen, onClose }: Props) {
  const { say } = useNotices();
  const [ids, setIds] = useState<ReadonlySet<number>>(new Set(chosen));
  const [fitted, setFitted] = useState<"alike" | "fitted">("alike");
  const [name, setName] = useState("");
  const toggle = (id: number, on: boolean) => {
    const next = new Set(ids);
    if (on) next.add(id);
    else next.delete(id);
    setIds(next);
  };
  const submit = async () => {
    const wanted = candidates.filter((one) => ids.has(one.modelId)).map((one) => one.modelId);
    await combineModels(projectId, { model_ids: wanted, fitted: fitted === "fitted", name });
    say(
      "They are asked about the pictures that none of them learnt from; the run stands in the Ledger then.",
    );
  };
  return (
    <SheetForm
      title="Answer together"
      action="Combine"
      ready={ids.size > 1}
      onClose={onClose}
      onSubmit={submit}
    >
      <p className="mb-2 text-quiet">
        The mean of what several models say errs less often than the best of them, as far as they err apart.
        It costs the time of all of them.
      </p>
      <ul className="mb-3 max-h-[38vh] overflow-y-auto" aria-label="Models">
        {candidates.map((one) => (
          <li key={one.modelId}>
            <label className="flex cursor-pointer items-baseline gap-2 py-0.5">
              <input
                type="checkbox"
                checked={ids.has(one.modelId)}
                onChange={(event) => toggle(one.modelId, event.target.checked)}
              />
              <span className="min-w-0 flex-1 truncate">{one.words}</span>
              <span className="font-mono text-sm">{score(one.accuracy)}</span>
            </label>
          </li>
        ))}
      </ul>
      {candidates.length < 2 && (
        <p className="mb-3">
          No other run tells the same classes apart at the same input size and colour: train one first.
        </p>
      )}
      <div className="mb-3">
        <Choice
          label="They count"
          value={fitted}
          options={[
            { value: "alike", label: "all alike", title: "all alike: the plain mean of their probabilities" },
            {
              value: "fitted",
              label: "by fitted weights",
              title: "by fitted weights: these learn from the validation pictures, which judge nothing then",
            },
          ]}
          onChange={setFitted}
        />
      </div>
      <TextField label="Name" value={name} most={80} onChange={setName} />
    </SheetForm>
  );
}
