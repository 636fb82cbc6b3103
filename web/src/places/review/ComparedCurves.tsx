/** Curves of several runs over each other, each told by a letter at its end and by its dashes. */
import { useState } from "react";
import type { Comparison, Epoch } from "../../api/client";
import { comparedLines } from "../../domain/comparison";
import { score } from "../../domain/words";
import { SIGNS } from "./compareSigns";

const WIDTH = 620;
const HEIGHT = 190;
const FIGURES = [
  { figure: "validation_loss", words: "validation loss" },
  { figure: "validation_accuracy", words: "validation accuracy" },
  { figure: "training_loss", words: "training loss" },
];
const DASHES = ["6 3", "2 3", "10 3 2 3"];

interface Props {
  runs: Comparison["runs"];
  epochs: readonly (readonly Epoch[])[];
}

export function ComparedCurves({ runs, epochs }: Props) {
  const [figure, setFigure] = useState("validation_loss");
  const { lines, low, high, last } = comparedLines(epochs, figure, WIDTH, HEIGHT);
  return (
    <figure data-testid="compared-curves">
      <figcaption className="text-sm font-semibold">
        <select
          aria-label="What the curves show"
          value={figure}
          onChange={(event) => setFigure(event.target.value)}
          className="rounded-control -ml-1 cursor-pointer bg-ground font-semibold"
        >
          {FIGURES.map((entry) => (
            <option key={entry.figure} value={entry.figure}>
              {entry.words}
            </option>
          ))}
        </select>{" "}
        <span className="font-normal text-quiet">over the epochs</span>
      </figcaption>
      {!epochs.some((run) => run.length) && <p className="text-quiet">No epoch of them was recorded.</p>}
      <svg
        width={WIDTH + 70}
        height={HEIGHT + 30}
        role="img"
        aria-label={`${figure.replace("_", " ")} of ${runs.length} runs over their epochs`}
      >
        <g transform="translate(40, 8)">
          <path d={`M0 0V${HEIGHT}H${WIDTH}`} fill="none" stroke="var(--edge)" />
          <g className="fill-quiet text-[11px]">
            <text x={-5} y={8} textAnchor="end">
              {score(high)}
            </text>
            <text x={-5} y={HEIGHT} textAnchor="end">
              {score(low)}
            </text>
            <text x={0} y={HEIGHT + 15}>
              1
            </text>
            <text x={WIDTH} y={HEIGHT + 15} textAnchor="end">
              epoch {last}
            </text>
          </g>
          {lines.map((line, place) => {
            const shown = place === runs.length - 1;
            return (
              <g key={runs[place]?.id ?? place}>
                <path
                  d={line.path}
                  fill="none"
                  stroke={shown ? "var(--choice)" : "var(--training)"}
                  strokeWidth={shown ? 2 : 1.5}
                  strokeDasharray={shown ? undefined : DASHES[place]}
                />
                <text
                  x={line.end.x + 4}
                  y={line.end.y + 4}
                  className="fill-ink text-[12px] font-semibold"
                  stroke="var(--ground)"
                  strokeWidth={3}
                  paintOrder="stroke"
                >
                  {SIGNS[place]}
                </text>
              </g>
            );
          })}
        </g>
      </svg>
    </figure>
  );
}
