/** What another model says of the same picture, beside the one that was asked. */
import { useQuery } from "@tanstack/react-query";
import type { Model } from "../../api/client";
import { runsOf, useLedger } from "../../api/runQueries";
import { usePlace } from "../../app/context";
import { type Asked, spoken } from "../../domain/tried";
import { score } from "../../domain/words";
import { Button } from "../../parts/Button";
import { signsOf } from "../../parts/ProbabilityBars";
import { Ruler } from "../../parts/Ruler";
import { Failed, Reading } from "../../parts/States";
import type { Tried } from "./TriedPicture";
import { answered } from "./useTrying";

/** What stands beside the picture that is shown: another model's answer, or another picture that was tried. */
export type Second = { readonly model: Model } | { readonly picture: Tried } | undefined;

interface PickerProps {
  model: Model;
  /** The others that were tried. */
  pictures: readonly Tried[];
  second: Second;
  onChange: (second: Second) => void;
}

/** Of more a list is no help; the strip has them all. */
const MOST_LISTED = 100;

export function BesidePicker({ model, pictures, second, onChange }: PickerProps) {
  const ledger = useLedger(model.project_id, "validation_accuracy");
  const runs = runsOf(ledger.data).filter((run) => run.model && run.model.id !== model.id);
  const readable = pictures.filter((entry) => !entry.answer.error);
  if (!runs.length && !readable.length) return null;
  const choose = (value: string) => {
    const run = runs.find((entry) => value === `run-${entry.model?.id}`);
    const picture = readable.find((entry) => value === entry.key);
    onChange(run?.model ? { model: run.model } : picture && { picture });
  };
  const value = second && ("model" in second ? `run-${second.model.id}` : second.picture.key);
  return (
    <div className="flex items-end gap-2">
      <label className="flex flex-col gap-1">
        <span className="text-quiet">Beside it</span>
        <select
          className="rounded-control w-[226px] cursor-pointer border border-edge bg-surface px-1 py-0.5"
          value={value ?? ""}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="">nothing</option>
          {runs.length > 0 && (
            <optgroup label="Another model">
              {runs.map((run) => (
                <option key={run.id} value={`run-${run.model?.id}`}>
                  run {run.number}
                  {run.name ? `, ${run.name}` : ""}
                  {run.validation ? `, ${score(run.validation.accuracy)}` : ""}
                </option>
              ))}
            </optgroup>
          )}
          {readable.length > 0 && (
            <optgroup label="Another picture">
              {readable.slice(0, MOST_LISTED).map((entry) => (
                <option key={entry.key} value={entry.key}>
                  {entry.path}
                </option>
              ))}
            </optgroup>
          )}
        </select>
      </label>
      {ledger.hasNextPage && (
        <Button kind="bare" onClick={() => void ledger.fetchNextPage()}>
          More runs
        </Button>
      )}
    </div>
  );
}

interface Props {
  tried: Tried;
  model: Model;
  asked: Asked;
}

export function Beside({ tried, model, asked }: Props) {
  const { classes } = usePlace();
  const other = useQuery({
    queryKey: ["tried", tried.key, model.id],
    staleTime: Infinity,
    retry: false,
    queryFn: () => answered(model, [{ path: tried.path, file: tried.file }]),
  });
  if (other.error) return <Failed error={other.error} onRetry={() => void other.refetch()} />;
  const answer = other.data?.[0];
  if (!answer) return <Reading what={`what run ${model.run_number} says`} />;
  if (answer.error) return <p className="text-wrong">{answer.error}</p>;
  const { order, threshold, unsure, text } = spoken(answer, asked);
  return (
    <div className="min-w-0 flex-1" data-testid="beside">
      <p className={`mb-2 font-semibold ${unsure ? "text-wrong" : ""}`}>
        Run {answer.run}: {text}
      </p>
      <Ruler order={order} sign={signsOf(model, classes)} threshold={threshold} />
    </div>
  );
}
