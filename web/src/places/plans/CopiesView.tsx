/** Copies read: how far the seed alone moves each figure. */
import type { RunPlan } from "../../api/client";
import { FIGURES, trialStateWords } from "../../domain/plans";
import { score } from "../../domain/words";

const WIDTH = 460;
const LEAST = 0.02;

export function CopiesView({ plan, onShow }: { plan: RunPlan; onShow: (runId: number) => void }) {
  return (
    <div className="h-full overflow-y-auto px-5 py-3" data-testid="copies">
      <p className="mb-3 max-w-[720px] text-quiet">
        Runs that differ by nothing but their seed. What they differ by is luck: a change of a setting that
        moves a figure by less than this has shown nothing.
      </p>
      {FIGURES.map(({ value: figure, words }) => {
        const known = plan.trials.filter((trial) => trial.figures[figure] !== undefined);
        const values = known.map((trial) => trial.figures[figure] ?? 0);
        // Differences that nobody would mind are not drawn as large ones.
        const middle = values.reduce((sum, value) => sum + value, 0) / Math.max(1, values.length);
        const low = Math.min(middle - LEAST, ...values);
        const high = Math.max(middle + LEAST, ...values);
        const found = plan.found?.[figure];
        const at = (value: number) => (high > low ? ((value - low) / (high - low)) * WIDTH : WIDTH / 2);
        return (
          <figure key={figure} className="mb-5">
            <figcaption>
              <b>{words}</b>{" "}
              {found && (
                <span>
                  {score(found.mean)} in the mean, single ones differ by {score(found.deviation)}
                </span>
              )}
            </figcaption>
            {known.length > 0 ? (
              <svg
                width={WIDTH + 40}
                height={52}
                role="img"
                aria-label={`${words} from ${score(low)} to ${score(high)}`}
              >
                <g transform="translate(16, 20)">
                  <line x2={WIDTH} stroke="var(--edge)" />
                  {found && (
                    <line
                      x1={at(found.mean)}
                      x2={at(found.mean)}
                      y1={-12}
                      y2={12}
                      stroke="var(--choice)"
                      strokeWidth={3}
                    />
                  )}
                  {known.map((trial) => (
                    <circle
                      key={trial.trial}
                      cx={at(trial.figures[figure] ?? 0)}
                      r={5}
                      fill="var(--ink)"
                      opacity={0.6}
                    >
                      <title>{`${trial.name}: ${score(trial.figures[figure])}`}</title>
                    </circle>
                  ))}
                  <g className="fill-quiet text-[12px]">
                    <text y={26}>{score(low)}</text>
                    <text x={WIDTH} y={26} textAnchor="end">
                      {score(high)}
                    </text>
                  </g>
                </g>
              </svg>
            ) : (
              <p className="text-quiet">No run has ended an epoch yet.</p>
            )}
          </figure>
        );
      })}
      <ol>
        {plan.trials.map((trial) => (
          <li key={trial.trial} className="flex gap-4">
            <button
              type="button"
              onClick={() => onShow(trial.run_id)}
              className="w-28 cursor-pointer text-left text-choice underline"
            >
              {trial.name}
            </button>
            <span>{trialStateWords(trial)}</span>
          </li>
        ))}
      </ol>
    </div>
  );
}
