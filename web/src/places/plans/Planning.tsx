/** A plan of several runs before it begins: its question, what is varied, and what it will cost. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Problem, Recipe } from "../../api/client";
import { beginPlan, useKnobs, usePlanSketch } from "../../api/planQueries";
import { KINDS } from "../../domain/plans";
import { Button } from "../../parts/Button";
import { Choice } from "../../parts/Choice";
import { useNotices } from "../../parts/Notices";
import { Failed, Reading } from "../../parts/States";
import { CostPicture } from "./CostPicture";
import { KnobList } from "./KnobList";
import { PlanningFields } from "./PlanningFields";
import { type PlanDraft, usePlanDraft } from "./usePlanDraft";

interface Props {
  projectId: number;
  recipe: Recipe;
  splitId: number | undefined;
  onBack: () => void;
  onBegun: (planId: number) => void;
}

export function Planning(props: Props) {
  const knobs = useKnobs(props.projectId, props.recipe);
  if (knobs.error) return <Failed error={knobs.error} onRetry={() => void knobs.refetch()} />;
  if (!knobs.data) return <Reading what="what can be varied" />;
  return <Drafting {...props} offers={knobs.data.offers} proposed={knobs.data.proposed} />;
}

function Drafting(props: Props & Pick<PlanDraft, "offers"> & { proposed: PlanDraft["space"] }) {
  const { projectId, recipe, splitId, offers, proposed } = props;
  const draft = usePlanDraft({ recipe, splitId, offers, proposed });
  const sketch = usePlanSketch(projectId, draft.body);
  const { begin, busy } = useBeginning(projectId, draft, props.onBegun);
  const failure = sketch.data?.failure;
  const problem = failure ? `${failure.what} ${failure.mend}` : (sketch.error as Problem | null)?.message;
  const kind = KINDS.find((entry) => entry.value === draft.kind);
  return (
    <div className="flex h-full flex-col" data-testid="planning">
      <header className="flex items-center gap-4 border-b border-hairline px-4 py-2">
        <Button onClick={props.onBack}>‹ Run sheet</Button>
        <h2 className="text-lg font-semibold">Plan several runs</h2>
        <Choice
          label="What they are to answer"
          hideLabel
          value={draft.kind}
          options={KINDS.map(({ value, label, title }) => ({ value, label, title: `${label}: ${title}` }))}
          onChange={draft.setKind}
        />
        <span className="text-quiet">called</span>
        <input
          aria-label="What it is called, by which it is found again"
          value={draft.question}
          maxLength={80}
          onChange={(event) => draft.setQuestion(event.target.value)}
          className="rounded-control min-w-0 flex-1 border border-edge bg-surface px-2 py-1"
        />
        <Button kind="main" disabled={busy || !draft.body || Boolean(problem)} onClick={() => void begin()}>
          Begin
        </Button>
      </header>
      <div className="flex min-h-0 flex-1">
        <section className="min-w-0 flex-1 overflow-y-auto px-5 py-3" aria-label="What is varied">
          <p className="mb-2 text-quiet">{kind?.title}.</p>
          {draft.kind === "trials" ? (
            <KnobList
              offers={offers}
              space={draft.space}
              onSpace={draft.setSpace}
              first={sketch.data?.first ?? []}
            />
          ) : (
            <Held draft={draft} recipe={recipe} />
          )}
        </section>
        <aside
          className="w-[400px] shrink-0 overflow-y-auto border-l border-hairline px-5 py-3"
          aria-label="How, and what it costs"
        >
          <PlanningFields draft={draft} epochs={recipe.settings.epochs} possible={sketch.data?.possible} />
          {problem ? (
            <p role="alert" className="mt-3 text-wrong">
              {problem}
            </p>
          ) : (
            sketch.data?.cost && <CostPicture cost={sketch.data.cost} kind={draft.kind} />
          )}
        </aside>
      </div>
    </div>
  );
}

/** Of folds and copies: what every run has, and what differs. */
function Held({ draft, recipe }: { draft: PlanDraft; recipe: Recipe }) {
  const { network, preprocessing, settings } = recipe;
  const folds = Array.from({ length: draft.folds }, (_, n) => n);
  return (
    <>
      <p className="mb-3">
        Every run trains <b>{network}</b> at {preprocessing.size} pixels for {settings.epochs} epochs, as the
        Run sheet says{draft.kind === "copies" ? ", each from another seed." : "."}
      </p>
      {draft.kind === "folds" && (
        <>
          <div
            className="grid max-w-[640px] gap-1"
            style={{ gridTemplateColumns: `repeat(${draft.folds}, minmax(8px, 1fr))` }}
            role="img"
            aria-label={`${draft.folds} trainings, each holding out one of ${draft.folds} parts`}
          >
            {folds.flatMap((run) =>
              folds.map((part) => (
                <span
                  key={`${run}-${part}`}
                  title={part === run ? "held out, and judged on" : "learnt from"}
                  className={`h-5 ${part === run ? "foot-validation bg-choice" : "bg-sunken"}`}
                />
              )),
            )}
          </div>
          <p className="mt-2 max-w-[640px] text-sm text-quiet">
            A row a training, a column a part of the training and validation pictures. Each part is held out
            once: what the split keeps together is never divided, every class is shared out evenly, and the
            test set stays out. The last epoch is judged, so that nothing is chosen by what is held out.
          </p>
          {settings.keep !== "last" && (
            <p className="mt-2 max-w-[640px] text-sm">
              The Run sheet keeps another epoch than the last; here the last one is kept.
            </p>
          )}
        </>
      )}
    </>
  );
}

function useBeginning(projectId: number, draft: PlanDraft, onBegun: (planId: number) => void) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [busy, setBusy] = useState(false);
  const begin = async () => {
    if (!draft.body || busy) return;
    setBusy(true);
    try {
      const plan = await beginPlan(projectId, draft.body);
      await queries.invalidateQueries({ queryKey: ["plans"] });
      onBegun(plan.id);
    } catch (error) {
      fail(error);
    }
    setBusy(false);
  };
  return { begin, busy };
}
