/** How the next training is watched: what every lookout does when it finds something, one's own, and what is recorded. */
import type { OwnLookout, Recipe, Watch } from "../../api/client";
import { useLookoutKinds } from "../../api/runQueries";
import { passage } from "../../domain/guide";
import { ACTS, type Act, byQuestion, withAct } from "../../domain/lookouts";
import { Choice } from "../../parts/Choice";
import { Help } from "../../parts/Help";
import { NumberField } from "../../parts/NumberField";
import { Failed, Reading } from "../../parts/States";
import { Bench } from "./Bench";
import { OwnLookouts } from "./OwnLookouts";

interface Props {
  projectId: number;
  recipe: Recipe;
  /** Ids of the network's layers that can be watched. */
  layers: readonly string[];
  onRecipe: (recipe: Recipe) => void;
  onBack: () => void;
}

const FIGURES = [
  { id: "values", words: "values: mean, deviation, zeros, sleeping, pinned, bands" },
  { id: "weights", words: "weights: size and bands" },
  { id: "gradients", words: "gradients: size" },
  { id: "updates", words: "update over weight" },
] as const;

export function WatchBench({ projectId, recipe, layers, onRecipe, onBack }: Props) {
  const kinds = useLookoutKinds();
  const { watch } = recipe;
  const change = (changed: Watch) => onRecipe({ ...recipe, watch: changed });
  const shared = { projectId, watch, layers, kinds: kinds.data ?? [] };
  return (
    <Bench
      title="Watch"
      testId="watch-bench"
      head={
        <p className="min-w-0 flex-1 truncate text-right text-quiet">
          Nothing here changes what is learnt, but that a lookout may end it.
        </p>
      }
      settings={<Recording watch={watch} layers={layers} onChange={change} />}
      settingsLabel="What is recorded"
      previewLabel="Lookouts"
      onBack={onBack}
    >
      {kinds.isError ? (
        <Failed error={kinds.error} onRetry={() => void kinds.refetch()} />
      ) : kinds.data ? (
        <>
          <p className="mb-3 max-w-[75ch] text-quiet">
            <Help guide={passage("training", "Lookouts")}>
              All of them follow every training. What each does when it finds something is chosen here.
            </Help>
          </p>
          {byQuestion(kinds.data).map((question) => (
            <section key={question.id} className="mb-4" aria-label={question.words}>
              <h3 className="mb-1 font-semibold">{question.words}</h3>
              <ul>
                {question.lookouts.map((kind) => (
                  <li
                    key={kind.id}
                    className="flex items-center gap-3 border-t border-hairline py-1"
                    data-kind={kind.id}
                  >
                    <span className="min-w-0 flex-1">
                      {kind.words} <span className="text-sm text-quiet">{kind.measures}</span>
                    </span>
                    <Choice<Act>
                      label={`What “${kind.words}” does`}
                      hideLabel
                      value={watch.acts[kind.id] ?? "say"}
                      onChange={(act) => change(withAct(watch, kind.id, act))}
                      options={ACTS.map(({ value, label }) => ({ value, label }))}
                    />
                  </li>
                ))}
              </ul>
            </section>
          ))}
          <OwnLookouts {...shared} onOwn={(own: OwnLookout[]) => change({ ...watch, own })} />
        </>
      ) : (
        <Reading what="the lookouts" />
      )}
    </Bench>
  );
}

interface RecordingProps {
  watch: Watch;
  layers: readonly string[];
  onChange: (watch: Watch) => void;
}

function Recording({ watch, layers, onChange }: RecordingProps) {
  const toggled = (all: readonly string[], held: readonly string[], id: string) => {
    const now = new Set(held.length ? held : all);
    if (now.has(id)) now.delete(id);
    else now.add(id);
    const kept = all.filter((entry) => now.has(entry));
    // None at all would be the same as all of them.
    return kept.length === all.length || kept.length === 0 ? [] : kept;
  };
  return (
    <>
      <h3 className="font-semibold">What the layers do</h3>
      <NumberField
        label="Measured every"
        help="Steps from one that is measured to the next. 0 records nothing, and lookouts for parts say nothing then."
        guide={passage("training", "What the layers do")}
        value={watch.every}
        min={0}
        max={100_000}
        step={1}
        onChange={(every) => onChange({ ...watch, every })}
      />
      <Ticks
        title="Figures"
        entries={FIGURES}
        held={watch.figures}
        off={!watch.every}
        onToggle={(id) =>
          onChange({
            ...watch,
            figures: toggled(
              FIGURES.map((entry) => entry.id),
              watch.figures,
              id,
            ),
          })
        }
      />
      <Ticks
        title="Layers"
        entries={layers.map((id) => ({ id, words: id }))}
        held={watch.layers}
        off={!watch.every}
        onToggle={(id) => onChange({ ...watch, layers: toggled(layers, watch.layers, id) })}
      />
    </>
  );
}

interface TicksProps {
  title: string;
  entries: readonly { readonly id: string; readonly words: string }[];
  /** Ids; none: all. */
  held: readonly string[];
  off: boolean;
  onToggle: (id: string) => void;
}

function Ticks({ title, entries, held, off, onToggle }: TicksProps) {
  return (
    <fieldset disabled={off} className="disabled:opacity-60">
      <legend className="font-semibold">{title}</legend>
      {entries.map((entry) => (
        <label key={entry.id} className="flex min-h-6 cursor-pointer items-baseline gap-2">
          <input
            type="checkbox"
            checked={held.length === 0 || held.includes(entry.id)}
            onChange={() => onToggle(entry.id)}
            className="accent-choice"
          />
          <span className="min-w-0 wrap-anywhere">{entry.words}</span>
        </label>
      ))}
    </fieldset>
  );
}
