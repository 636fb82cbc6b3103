/** Lookouts of one's own: a figure, where, on which side of a value, for how long; tried on earlier runs before it is kept. */
import { useState } from "react";
import type { LookoutKind, LookoutTrial, OwnLookout, Watch } from "../../api/client";
import { useLookoutTrial } from "../../api/runQueries";
import { ACTS, FIRST_OWN, isOfLayers, OWN_FIGURES, ownProblem, ownWords } from "../../domain/lookouts";
import { plural } from "../../domain/words";
import { Button } from "../../parts/Button";
import { useNumberText } from "../../parts/useNumberText";

interface Props {
  projectId: number;
  watch: Watch;
  layers: readonly string[];
  kinds: readonly LookoutKind[];
  onOwn: (own: OwnLookout[]) => void;
}

const BLANK = "rounded-control border border-edge bg-surface px-1 py-0.5 leading-5 aria-invalid:border-wrong";

export function OwnLookouts({ projectId, watch, layers, kinds, onOwn }: Props) {
  const [draft, setDraft] = useState<OwnLookout>();
  return (
    <section aria-label="Your own" data-testid="own-lookouts">
      <h3 className="mb-1 font-semibold">Your own</h3>
      <ul>
        {watch.own.map((entry) => (
          <li key={entry.name} className="flex items-center gap-3 border-t border-hairline py-1">
            <span className="min-w-0 flex-1">
              {entry.name}{" "}
              <span className="text-sm text-quiet">
                {ownWords(entry)}; {ACTS.find((act) => act.value === entry.act)?.label}
              </span>
            </span>
            <Button onClick={() => onOwn(watch.own.filter((other) => other !== entry))}>Take out</Button>
          </li>
        ))}
      </ul>
      {draft ? (
        <Draft
          projectId={projectId}
          draft={draft}
          layers={layers}
          problem={ownProblem(draft, watch.own, kinds)}
          onDraft={setDraft}
          onKeep={() => {
            onOwn([...watch.own, { ...draft, name: draft.name.trim() }]);
            setDraft(undefined);
          }}
        />
      ) : (
        <Button onClick={() => setDraft(FIRST_OWN)}>Make one …</Button>
      )}
    </section>
  );
}

interface DraftProps {
  projectId: number;
  draft: OwnLookout;
  layers: readonly string[];
  problem: string;
  /** Undefined: given up. */
  onDraft: (draft: OwnLookout | undefined) => void;
  onKeep: () => void;
}

function Draft({ projectId, draft, layers, problem, onDraft, onKeep }: DraftProps) {
  const trial = useLookoutTrial(projectId, { ...draft, name: draft.name.trim() || "new" });
  const set = (changed: Partial<OwnLookout>) => onDraft({ ...draft, ...changed });
  const value = useNumberText(draft.value, { min: -1e9, max: 1e9, step: "any" }, (now) =>
    set({ value: now }),
  );
  const epochs = useNumberText(draft.epochs, { min: 1, max: 10_000, step: 1 }, (now) => set({ epochs: now }));
  const ready = !problem && value.good && epochs.good;
  return (
    <form
      className="border-t border-hairline py-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) onKeep();
      }}
    >
      <p className="leading-8">
        <input
          aria-label="Its name"
          placeholder="Name"
          maxLength={60}
          value={draft.name}
          onChange={(event) => set({ name: event.target.value })}
          className={`${BLANK} w-40`}
        />{" "}
        finds something when{" "}
        <Blanks
          label="Figure"
          value={draft.figure}
          options={OWN_FIGURES.map((entry) => [entry.figure, entry.words])}
          onPick={(figure) => set({ figure, layer: "" })}
        />
        {isOfLayers(draft.figure) && " of "}
        {isOfLayers(draft.figure) && (
          <Blanks
            label="Layer"
            value={draft.layer}
            options={[["", "any layer"], ...layers.map((id): [string, string] => [id, id])]}
            onPick={(layer) => set({ layer })}
          />
        )}{" "}
        is <Blanks label="Side" value={draft.sign} options={SIDES} onPick={(sign) => set({ sign })} />{" "}
        <Figure label="Value" text={value} width="w-20" /> for{" "}
        <Figure label="Epochs in a row" text={epochs} width="w-14" /> epochs in a row; then it{" "}
        <Blanks
          label="What it does"
          value={draft.act}
          options={ACTS.map((act) => [act.value, act.label])}
          onPick={(act) => set({ act })}
        />
      </p>
      <p className="min-h-5 text-sm text-quiet" data-testid="own-trial">
        {problem || (trial.isError ? trial.error.message : trialWords(trial.data))}
      </p>
      <p className="mt-1 flex gap-2">
        <Button kind="main" type="submit" disabled={!ready}>
          Keep it
        </Button>
        <Button onClick={() => onDraft(undefined)}>Cancel</Button>
      </p>
    </form>
  );
}

const SIDES: readonly (readonly ["above" | "below", string])[] = [
  ["above", "above"],
  ["below", "below"],
];

interface BlanksProps<T extends string> {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onPick: (value: T) => void;
}

function Blanks<T extends string>({ label, value, options, onPick }: BlanksProps<T>) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(event) => onPick(event.target.value as T)}
      className={BLANK}
    >
      {options.map(([option, words]) => (
        <option key={option} value={option}>
          {words}
        </option>
      ))}
    </select>
  );
}

interface FigureProps {
  label: string;
  text: ReturnType<typeof useNumberText>;
  width: string;
}

function Figure({ label, text, width }: FigureProps) {
  return (
    <input
      {...text.field}
      aria-label={label}
      aria-invalid={!text.good}
      className={`${BLANK} ${width} text-right font-mono`}
    />
  );
}

function trialWords(tried: readonly LookoutTrial[] | undefined): string {
  if (!tried) return "";
  if (!tried.length) return "There is no earlier run to try it on.";
  const found = tried.filter((run) => run.epoch !== null);
  if (!found.length) return `Of the last ${plural(tried.length, "run")} it would have found nothing.`;
  const where = found.map((run) => `run ${run.number} after epoch ${run.epoch} of ${run.epochs}`);
  return `Of the last ${plural(tried.length, "run")} it would have found something in ${where.join(", ")}.`;
}
