/** Folds read: each one's accuracy with its interval, the mean of all, and the matrix over every picture. */
import { Link } from "react-router";
import type { RunPlan, Trial } from "../../api/client";
import { range, trialStateWords } from "../../domain/plans";
import { score } from "../../domain/words";
import { useSize } from "../../parts/useSize";
import { FoldMatrix } from "./FoldMatrix";
import { FoldsBeside } from "./FoldsBeside";

const LABEL = 150;
const ROW = 26;

export function FoldsView({ plan, onShow }: { plan: RunPlan; onShow: (runId: number) => void }) {
  const found = plan.found;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
      <section className="min-h-0 overflow-y-auto px-5 py-3" aria-label="Folds">
        {found?.accuracy && found.macro_f1 ? (
          <p className="mb-3" data-testid="folds-found">
            <b className="text-lg">{score(found.accuracy.mean)}</b> accuracy, 95 % between{" "}
            {score(found.accuracy.interval[0])} and {score(found.accuracy.interval[1])}; single folds differ
            by {score(found.accuracy.deviation)}. Macro F1 {score(found.macro_f1.mean)} (
            {range(found.macro_f1.interval)}), loss {score(found.loss)}.
            <span className="block text-sm text-quiet">
              The interval is corrected for what the training parts have in common. Every picture was answered
              by a model that had not learnt from it; the test set was left out.{" "}
              {plan.answers_run !== null && (
                <Link
                  to={`../review?run=${plan.answers_run}`}
                  className="whitespace-nowrap text-choice underline"
                >
                  Review all these answers
                </Link>
              )}
            </span>
          </p>
        ) : (
          <p className="mb-3 text-quiet">
            {plan.state === "ended"
              ? "Fewer than two folds were trained to their end: nothing can be told of them together."
              : plan.trials.length
                ? "The mean and its interval stand here when all folds are trained."
                : "The pictures are being divided into folds …"}
          </p>
        )}
        {plan.trials.length > 0 && <FoldPlot plan={plan} onShow={onShow} />}
        <FoldsBeside plan={plan} />
      </section>
      <section
        className="min-h-0 overflow-auto border-l border-hairline px-5 py-3"
        aria-label="Confusion over all folds"
      >
        {found?.confusion ? (
          <FoldMatrix confusion={found.confusion} recalls={found.recalls ?? []} classes={plan.classes} />
        ) : (
          <p className="text-quiet">The matrix over all pictures follows with the last fold.</p>
        )}
      </section>
    </div>
  );
}

function FoldPlot({ plan, onShow }: { plan: RunPlan; onShow: (runId: number) => void }) {
  const [place, size] = useSize();
  const width = Math.max(60, (size?.width ?? 60) - LABEL - 90);
  const lows = plan.trials.map((trial) => trial.interval?.[0] ?? 1);
  const low = Math.max(0, Math.floor(Math.min(1, ...lows) * 20) / 20 - 0.001);
  const x = (value: number) => ((Math.max(low, value) - low) / (1 - low || 1)) * width;
  const mean = plan.found?.accuracy;
  const rows = plan.trials.length;
  return (
    <div ref={place}>
      <svg
        width={size?.width ?? 0}
        height={rows * ROW + 30}
        role="group"
        aria-label="Accuracy of each fold on the pictures that it held out"
      >
        {mean && (
          <g transform={`translate(${LABEL}, 0)`}>
            <rect
              x={x(mean.interval[0] ?? 0)}
              width={Math.max(1, x(mean.interval[1] ?? 1) - x(mean.interval[0] ?? 0))}
              height={rows * ROW}
              fill="var(--choice-wash)"
            />
            <line
              x1={x(mean.mean)}
              x2={x(mean.mean)}
              y2={rows * ROW}
              stroke="var(--choice)"
              strokeWidth={2}
            />
          </g>
        )}
        {plan.trials.map((trial, n) => (
          <FoldRow key={trial.trial} trial={trial} y={n * ROW} x={x} width={width} onShow={onShow} />
        ))}
        <g transform={`translate(${LABEL}, ${rows * ROW})`} className="fill-quiet text-[12px]">
          <line x2={width} stroke="var(--edge)" />
          <text y={16}>{low.toFixed(2)}</text>
          <text x={width} y={16} textAnchor="end">
            1
          </text>
          <text x={width / 2} y={16} textAnchor="middle">
            accuracy on what was held out
          </text>
        </g>
      </svg>
    </div>
  );
}

interface RowProps {
  trial: Trial;
  y: number;
  x: (value: number) => number;
  width: number;
  onShow: (runId: number) => void;
}

function FoldRow({ trial, y, x, width, onShow }: RowProps) {
  const known = trial.count && trial.right !== null ? trial.right / trial.count : undefined;
  return (
    <g transform={`translate(0, ${y})`} data-fold={trial.trial}>
      <text
        role="button"
        tabIndex={0}
        y={ROW / 2 + 4}
        className="cursor-pointer fill-choice text-[13px] underline"
        onClick={() => onShow(trial.run_id)}
        onKeyDown={(event) => event.key === "Enter" && onShow(trial.run_id)}
      >
        {trial.name}
        <title>Its curves and errors, as run {trial.number}</title>
      </text>
      <g transform={`translate(${LABEL}, ${ROW / 2})`}>
        {known === undefined || !trial.interval ? (
          <text y={4} className={`text-[13px] ${trial.ended_by === "failed" ? "fill-wrong" : "fill-quiet"}`}>
            {trialStateWords(trial)}
          </text>
        ) : (
          <>
            <line x1={x(trial.interval[0] ?? 0)} x2={x(trial.interval[1] ?? 1)} stroke="var(--ink)" />
            <circle cx={x(known)} r={4.5} fill="var(--ink)" />
            <text x={width + 8} y={4} className="fill-ink text-[13px]">
              {score(known)} <tspan className="fill-quiet">of {trial.count}</tspan>
            </text>
          </>
        )}
      </g>
    </g>
  );
}
