/** The validation curve of every trial, growing as it trains; the better the trial, the fuller its line. */
import type { RunPlan } from "../../api/client";
import { curvePath, scaleOver, usualRange } from "../../domain/planPlots";
import { figureWords } from "../../domain/plans";
import { useSize } from "../../parts/useSize";
import { Axes } from "./Axes";
import type { Marked } from "./SearchView";

const LEFT = 40;
const BELOW = 30;
const ABOVE = 22;

interface Props {
  plan: RunPlan;
  curves: Readonly<Record<string, readonly (number | null)[]>>;
  marked: Marked;
}

export function TrialCurves({ plan, curves, marked }: Props) {
  const [place, size] = useSize();
  const frame = {
    width: Math.max(10, (size?.width ?? 10) - LEFT - 8),
    height: Math.max(10, (size?.height ?? 10) - BELOW - ABOVE),
  };
  const x = scaleOver([1, Math.max(2, plan.epochs)], frame.width, false);
  const y = scaleOver(usualRange(Object.values(curves)), frame.height, true);
  const best = marked.chosen ?? plan.best ?? undefined;
  // What is looked at lies on top.
  const order = [...plan.trials].sort((one, two) => weight(one.trial) - weight(two.trial));
  function weight(trial: number) {
    return trial === best ? 3 : marked.inside.has(trial) ? (marked.shades.get(trial) ?? 0) : -1;
  }
  return (
    <figure ref={place} className="min-h-0 min-w-0" data-testid="trial-curves">
      <svg
        width={size?.width ?? 0}
        height={size?.height ?? 0}
        role="img"
        aria-label={`Validation ${figureWords(plan.by)} of ${plan.trials.length} trials over their epochs`}
      >
        <text x={LEFT} y={15} className="fill-ink text-[13px] font-semibold">
          Validation {figureWords(plan.by)} by epoch
        </text>
        <g transform={`translate(${LEFT}, ${ABOVE})`}>
          <Axes x={x} y={y} frame={frame} />
          {plan.rungs.slice(0, -1).map((epochs) => (
            <line
              key={epochs}
              x1={x.at(epochs)}
              x2={x.at(epochs)}
              y2={frame.height}
              stroke="var(--edge)"
              strokeDasharray="2 3"
            >
              <title>Here the weak ones are dropped</title>
            </line>
          ))}
          {order.map((trial) => {
            const curve = curves[String(trial.trial)] ?? [];
            const own = trial.trial === best;
            const path = curvePath(curve, x, y, frame);
            return (
              <g key={trial.trial} data-curve={trial.trial}>
                <path
                  d={path}
                  fill="none"
                  stroke={own ? "var(--choice)" : "var(--ink)"}
                  strokeWidth={own ? 2.5 : 1}
                  opacity={
                    own
                      ? 1
                      : marked.inside.has(trial.trial)
                        ? 0.15 + 0.55 * (marked.shades.get(trial.trial) ?? 0)
                        : 0.06
                  }
                />
                {curve.length === 1 && curve[0] !== null && (
                  <circle cx={x.at(1)} cy={y.at(curve[0] ?? 0)} r={1.5} fill="var(--ink)" />
                )}
                {/* Wide enough to be met by the pointer. */}
                <path
                  d={path}
                  fill="none"
                  stroke="transparent"
                  strokeWidth={7}
                  className="cursor-pointer"
                  onPointerEnter={() => marked.onChoose(trial.trial)}
                  onPointerLeave={() => marked.onChoose(undefined)}
                >
                  <title>{trial.name}</title>
                </path>
              </g>
            );
          })}
        </g>
      </svg>
    </figure>
  );
}
