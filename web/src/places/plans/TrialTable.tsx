/** All trials of a search as a table: what each had, how it did and how sure that is, in an order that is asked for. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { RunPlan, Trial } from "../../api/client";
import { listRun } from "../../api/planQueries";
import {
  figureWords,
  range,
  sortedTrials,
  type TrialOrder,
  trialStateWords,
  valueWords,
} from "../../domain/plans";
import { duration, score } from "../../domain/words";
import { useNotices } from "../../parts/Notices";
import type { Marked } from "./SearchView";

interface Props {
  plan: RunPlan;
  marked: Marked;
  onShow: (runId: number) => void;
}

export function TrialTable({ plan, marked, onShow }: Props) {
  const [order, setOrder] = useState<TrialOrder>("value");
  const [falling, setFalling] = useState(true);
  const trials = sortedTrials(plan, order, falling).filter((trial) => marked.inside.has(trial.trial));
  const sort = (next: TrialOrder) => {
    setFalling(next === order ? !falling : next === "value" || next === "state");
    setOrder(next);
  };
  const head = (key: TrialOrder, words: string) => (
    <Head
      key={key}
      words={words}
      way={key === order ? (falling ? "descending" : "ascending") : "none"}
      onSort={() => sort(key)}
    />
  );
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys
    <section className="min-h-0 overflow-auto" aria-label="Trials" tabIndex={0}>
      <table className="w-full border-collapse text-sm" data-testid="trials">
        <thead className="sticky top-0 bg-ground">
          <tr className="text-left text-quiet">
            {head("trial", "trial")}
            {head("value", figureWords(plan.by))}
            {plan.space.map((knob) => head(`knob:${knob.name}`, knob.words.toLowerCase()))}
            {head("state", "trained")}
            {head("train_s", "time")}
            <th className="px-2 py-1 font-normal" />
          </tr>
        </thead>
        <tbody>
          {trials.map((trial) => (
            <Row key={trial.trial} plan={plan} trial={trial} marked={marked} onShow={onShow} />
          ))}
        </tbody>
      </table>
      {trials.length < plan.trials.length && (
        <p className="px-3 py-1 text-sm text-quiet">
          {trials.length} of {plan.trials.length}: those in the chosen ranges.
        </p>
      )}
    </section>
  );
}

function Head(props: { words: string; way: "ascending" | "descending" | "none"; onSort: () => void }) {
  return (
    <th aria-sort={props.way} className="max-w-24 px-2 py-1 align-bottom font-normal">
      <button
        type="button"
        onClick={props.onSort}
        className="min-h-6 cursor-pointer text-left hover:text-ink"
      >
        {props.words}
        <span aria-hidden="true">
          {props.way === "descending" ? " ↓" : props.way === "ascending" ? " ↑" : ""}
        </span>
      </button>
    </th>
  );
}

function Row({ plan, trial, marked, onShow }: Props & { trial: Trial }) {
  const own = trial.trial === (marked.chosen ?? plan.best);
  return (
    <tr
      data-trial={trial.trial}
      className={`border-t border-hairline ${own ? "bg-choice-wash" : ""}`}
      onPointerEnter={() => marked.onChoose(trial.trial)}
      onPointerLeave={() => marked.onChoose(undefined)}
    >
      <td className="px-2">
        <button
          type="button"
          onClick={() => onShow(trial.run_id)}
          onFocus={() => marked.onChoose(trial.trial)}
          onBlur={() => marked.onChoose(undefined)}
          className="min-h-6 min-w-6 cursor-pointer text-left text-choice underline"
          title={`Its curves and errors, as run ${trial.number}`}
        >
          {trial.trial}
        </button>
      </td>
      <td
        className="px-2 whitespace-nowrap"
        title={trial.interval ? `95 % ${range(trial.interval)}` : undefined}
      >
        <b>{score(trial.value)}</b>{" "}
        {trial.interval && plan.by === "validation_accuracy" && (
          <span className="text-quiet">{range(trial.interval).replace(" to ", "–")}</span>
        )}
      </td>
      {plan.space.map((knob) => (
        <td key={knob.name} className="max-w-36 truncate px-2">
          {valueWords(trial.values[knob.name])}
        </td>
      ))}
      <td
        className={`px-2 whitespace-nowrap ${trial.ended_by === "failed" ? "text-wrong" : trial.whole ? "" : "text-quiet"}`}
        title={`${trial.ending} ${trial.mend}`.trim() || undefined}
      >
        {trialStateWords(trial)}
      </td>
      <td className="px-2 whitespace-nowrap">{trial.train_s === null ? "–" : duration(trial.train_s)}</td>
      <td className="px-2 text-right whitespace-nowrap">
        {trial.state === "ended" && <ToLedger trial={trial} />}
      </td>
    </tr>
  );
}

/** It stands in the plain Ledger too from then on. */
function ToLedger({ trial }: { trial: Trial }) {
  const queries = useQueryClient();
  const { fail, say } = useNotices();
  if (trial.listed) return <span className="text-quiet">in the Ledger</span>;
  const list = async () => {
    try {
      await listRun(trial.run_id);
      say(`Run ${trial.number} stands in the Ledger now.`);
      for (const key of ["plan", "runs"]) await queries.invalidateQueries({ queryKey: [key] });
    } catch (error) {
      fail(error);
    }
  };
  return (
    <button
      type="button"
      aria-label={`Trial ${trial.trial} to Ledger`}
      title="Put it into the Ledger, as a run like any other"
      onClick={() => void list()}
      className="min-h-6 cursor-pointer text-choice hover:underline"
    >
      to Ledger
    </button>
  );
}
