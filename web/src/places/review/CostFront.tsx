/** Accuracy against what a network costs, with those that no other beats joined by a line. */
import { useState } from "react";
import type { Comparison } from "../../api/client";
import { type Cost, front } from "../../domain/comparison";
import { duration, score } from "../../domain/words";
import { SIGNS } from "./compareSigns";

const WIDTH = 230;
const HEIGHT = 200;

const COSTS: readonly { cost: Cost; words: string; of: (value: number) => string }[] = [
  { cost: "parameters", words: "parameters", of: (value) => value.toLocaleString("en") },
  { cost: "multiply_adds", words: "multiply-adds", of: (value) => `${(value / 1e6).toFixed(1)} million` },
  { cost: "train_s", words: "time of training", of: duration },
];

export function CostFront({ found }: { found: Comparison }) {
  const [cost, setCost] = useState<Cost>("parameters");
  const what = COSTS.find((entry) => entry.cost === cost) ?? COSTS[0];
  const unbeaten = front(found, cost);
  const costs = found.runs.map((run) => run[cost] ?? 0);
  const most = Math.max(1e-9, ...costs);
  const low = Math.floor(Math.min(...found.runs.map((run) => run.accuracy_interval[0] ?? 0)) * 20) / 20;
  const x = (value: number) => (value / most) * (WIDTH - 16);
  const y = (value: number) => HEIGHT - ((Math.max(low, value) - low) / (1 - low || 1)) * HEIGHT;
  const line = [...unbeaten]
    .map((place) => ({ x: x(costs[place] ?? 0), y: y(found.runs[place]?.accuracy ?? low) }))
    .sort((a, b) => a.x - b.x);
  return (
    <figure data-testid="front">
      <figcaption className="text-sm">
        <b>Accuracy against</b>{" "}
        <select
          aria-label="What it costs"
          value={cost}
          onChange={(event) => setCost(event.target.value as Cost)}
          className="rounded-control cursor-pointer bg-ground"
        >
          {COSTS.map((entry) => (
            <option key={entry.cost} value={entry.cost}>
              {entry.words}
            </option>
          ))}
        </select>
      </figcaption>
      <svg
        width={WIDTH + 56}
        height={HEIGHT + 54}
        role="img"
        aria-label={`Accuracy against ${what?.words}; ${unbeaten.size} of ${found.runs.length} that no other beats`}
      >
        <g transform="translate(40, 26)">
          <path d={`M0 0V${HEIGHT}H${WIDTH}`} fill="none" stroke="var(--edge)" />
          <path
            d={line.map((point, n) => `${n ? "L" : "M"}${point.x} ${point.y}`).join("")}
            fill="none"
            stroke="var(--choice)"
            strokeDasharray="4 3"
          />
          {found.runs.map((run, place) => {
            const [at, up] = [x(costs[place] ?? 0), y(run.accuracy ?? low)];
            return (
              <g key={run.id}>
                <title>{`run ${run.number}: ${score(run.accuracy)}, ${what?.of(costs[place] ?? 0)}`}</title>
                <line
                  x1={at}
                  x2={at}
                  y1={y(run.accuracy_interval[0] ?? low)}
                  y2={y(run.accuracy_interval[1] ?? 1)}
                  stroke="var(--edge)"
                />
                <rect
                  x={at - 4}
                  y={up - 4}
                  width={8}
                  height={8}
                  fill={unbeaten.has(place) ? "var(--choice)" : "var(--surface)"}
                  stroke="var(--choice)"
                />
                <text x={at + 8} y={up + 4} className="fill-ink text-[12px] font-semibold">
                  {SIGNS[place]}
                </text>
              </g>
            );
          })}
          <g className="fill-quiet text-[11px]">
            <text x={-5} y={8} textAnchor="end">
              1
            </text>
            <text x={-5} y={HEIGHT} textAnchor="end">
              {low}
            </text>
            <text x={WIDTH} y={HEIGHT + 15} textAnchor="end">
              {what?.of(most)}
            </text>
          </g>
        </g>
      </svg>
    </figure>
  );
}
