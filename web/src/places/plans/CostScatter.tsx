/** What a trial's figure cost: those with the whole budget, and the line of those that no other beats. */
import { useState } from "react";
import type { RunPlan } from "../../api/client";
import { type Cost, costOf, scaleOver, unbeaten } from "../../domain/planPlots";
import { figureWords } from "../../domain/plans";
import { duration, score } from "../../domain/words";
import { useSize } from "../../parts/useSize";
import { Axes } from "./Axes";
import type { Marked } from "./SearchView";

const LEFT = 44;
const BELOW = 30;
const ABOVE = 26;
/** Two trials are two and no trend. */
const FEWEST_FOR_A_LINE = 3;

export function CostScatter({ plan, marked }: { plan: RunPlan; marked: Marked }) {
  const [chosen, choose] = useState<Cost | null>(null);
  const [place, size] = useSize();
  const frame = {
    width: Math.max(10, (size?.width ?? 10) - LEFT - 12),
    height: Math.max(10, (size?.height ?? 10) - BELOW - ABOVE),
  };
  const known = plan.trials.filter((trial) => trial.whole && trial.value !== null);
  // Where all trials have the same network only their time differs.
  const cost =
    chosen ?? (new Set(known.map((trial) => trial.parameters)).size > 1 ? "parameters" : "train_s");
  const x = scaleOver([0, ...known.map((trial) => costOf(trial, cost))], frame.width, false);
  const y = scaleOver(
    known.map((trial) => trial.value ?? 0),
    frame.height - 8,
    true,
  );
  const line = known.length < FEWEST_FOR_A_LINE ? [] : unbeaten(plan, cost);
  const words = (value: number) =>
    cost === "train_s"
      ? duration(value)
      : value >= 1e6
        ? `${value / 1e6} M`
        : value >= 1e3
          ? `${value / 1e3} k`
          : String(value);
  return (
    <figure className="relative min-h-0 min-w-0" ref={place} data-testid="cost-scatter">
      <figcaption className="absolute top-0.5 left-11 text-[13px]">
        <b>{figureWords(plan.by)} against</b>{" "}
        <select
          aria-label="What it costs"
          value={cost}
          onChange={(event) => choose(event.target.value as Cost)}
          className="rounded-control cursor-pointer bg-ground"
        >
          <option value="parameters">parameters</option>
          <option value="train_s">time of training</option>
        </select>
      </figcaption>
      <svg
        width={size?.width ?? 0}
        height={size?.height ?? 0}
        role="img"
        aria-label={`${figureWords(plan.by)} of ${known.length} trials against what they cost; ${line.length} that no other beats`}
      >
        <g transform={`translate(${LEFT}, ${ABOVE})`}>
          {known.length === 0 && (
            <text y={18} className="fill-quiet text-[13px]">
              No trial had its whole budget yet.
            </text>
          )}
          {known.length > 0 && (
            <>
              <Axes x={x} y={y} frame={frame} xWords={(value) => (value ? words(value) : "0")} />
              <path
                d={line
                  .map((trial, n) => `${n ? "L" : "M"}${x.at(costOf(trial, cost))} ${y.at(trial.value ?? 0)}`)
                  .join("")}
                fill="none"
                stroke="var(--choice)"
                strokeDasharray="4 3"
              />
              {known.map((trial) => {
                const own = trial.trial === (marked.chosen ?? plan.best);
                return (
                  <rect
                    key={trial.trial}
                    x={x.at(costOf(trial, cost)) - (own ? 5 : 3)}
                    y={y.at(trial.value ?? 0) - (own ? 5 : 3)}
                    width={own ? 10 : 6}
                    height={own ? 10 : 6}
                    fill={own ? "var(--choice)" : "var(--ink)"}
                    opacity={own ? 1 : marked.inside.has(trial.trial) ? 0.55 : 0.12}
                    className="cursor-pointer"
                    onPointerEnter={() => marked.onChoose(trial.trial)}
                    onPointerLeave={() => marked.onChoose(undefined)}
                  >
                    <title>{`${trial.name}: ${score(trial.value)}, ${words(costOf(trial, cost))}`}</title>
                  </rect>
                );
              })}
            </>
          )}
        </g>
      </svg>
    </figure>
  );
}
