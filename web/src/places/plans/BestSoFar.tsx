/** The best figure so far against the time that was trained: where it lies flat, more time brings little. */
import type { RunPlan } from "../../api/client";
import { coursePath, scaleOver } from "../../domain/planPlots";
import { figureWords } from "../../domain/plans";
import { duration, score } from "../../domain/words";
import { useSize } from "../../parts/useSize";
import { Axes } from "./Axes";

const LEFT = 44;
const BELOW = 30;
const ABOVE = 22;

export function BestSoFar({ plan }: { plan: RunPlan }) {
  const [place, size] = useSize();
  const frame = {
    width: Math.max(10, (size?.width ?? 10) - LEFT - 8),
    height: Math.max(10, (size?.height ?? 10) - BELOW - ABOVE),
  };
  const x = scaleOver([0, Math.max(1, plan.train_s)], frame.width, false);
  const y = scaleOver(
    plan.course.map((point) => point.value),
    frame.height - 12,
    true,
  );
  return (
    <figure ref={place} className="min-h-0 min-w-0" data-testid="best-so-far">
      <svg
        width={size?.width ?? 0}
        height={size?.height ?? 0}
        role="img"
        aria-label={`The best ${figureWords(plan.by)} so far, ${score(plan.course.at(-1)?.value)} after ${duration(plan.train_s)} of training`}
      >
        <text x={LEFT} y={15} className="fill-ink text-[13px] font-semibold">
          Best so far by time trained
        </text>
        <g transform={`translate(${LEFT}, ${ABOVE})`}>
          {plan.course.length > 0 ? (
            <>
              <Axes x={x} y={y} frame={frame} xWords={(value) => (value ? duration(value) : "0")} />
              <path d={coursePath(plan, x, y)} fill="none" stroke="var(--choice)" strokeWidth={2} />
              {plan.course.map((point) => (
                <circle
                  key={point.trial}
                  cx={x.at(point.spent_s)}
                  cy={y.at(point.value)}
                  r={3}
                  fill="var(--choice)"
                >
                  <title>{`trial ${point.trial}: ${score(point.value)} after ${duration(point.spent_s)}`}</title>
                </circle>
              ))}
            </>
          ) : (
            <text x={0} y={20} className="fill-quiet text-[13px]">
              No trial had its whole budget yet.
            </text>
          )}
        </g>
      </svg>
    </figure>
  );
}
