/** How often an answer of 0.8 is right: as the network answers, and with its temperature. */
import type { Calibration, Sureness } from "../../api/client";
import {
  calibrationPoints,
  calibrationStart,
  calibrationWords,
  temperatureWords,
} from "../../domain/sureness";
import { score } from "../../domain/words";
import { PlotFrame } from "./PlotFrame";

const SIDE = 220;

export function CalibrationPlot({ sure }: { sure: Sureness }) {
  const calibrated = sure.temperature !== null;
  const start = calibrated ? calibrationStart(sure.plain, sure.tempered) : calibrationStart(sure.plain);
  return (
    <section aria-label="Calibration" className="flex gap-5" data-testid="calibration">
      <PlotFrame
        width={SIDE}
        height={SIDE}
        label="Share that is right over the probability of the answer"
        x="probability of the answer"
        y="share that is right"
      >
        <line x1="0" y1={SIDE} x2={SIDE} y2="0" stroke="var(--edge)" strokeDasharray="4 4" />
        <Ticks start={start} />
        <Bins found={sure.plain} start={start} hollow={calibrated} />
        {calibrated && <Bins found={sure.tempered} start={start} />}
      </PlotFrame>
      <div className="min-w-0 flex-1 text-sm">
        <h3 className="text-base font-semibold">Can its probabilities be believed?</h3>
        <p className="mt-1">{calibrationWords(sure.plain)}</p>
        <p className="mt-1">{temperatureWords(sure)}</p>
        <table className="mt-2" aria-label="Calibration in figures">
          <thead>
            <tr className="text-quiet">
              <th className="pr-4 text-left font-normal" />
              <th className="pr-4 text-left font-normal">
                <Key hollow={calibrated} /> as it is
              </th>
              {calibrated && (
                <th className="pr-4 text-left font-normal">
                  <Key /> with temperature
                </th>
              )}
            </tr>
          </thead>
          <tbody>
            <Figure
              words="calibration error"
              title="Distance of the share that is right from the mean probability, in bins of equal count"
              of={(found) => score(found.error)}
              sure={sure}
            />
            <Figure
              words="by chance alone"
              title="The same if every probability were true: few pictures lie apart by chance"
              of={(found) => `${score(found.error_if_true)}, up to ${score(found.error_if_true_high)}`}
              sure={sure}
            />
            <Figure
              words="Brier score"
              title="Mean squared distance of the probabilities from the truth, 0 to 2"
              of={(found) => score(found.brier)}
              sure={sure}
            />
            <Figure words="loss" of={(found) => score(found.loss)} sure={sure} />
          </tbody>
        </table>
      </div>
    </section>
  );
}

interface FigureProps {
  words: string;
  title?: string;
  of: (found: Calibration) => string;
  sure: Sureness;
}

function Figure({ words, title, of, sure }: FigureProps) {
  return (
    <tr title={title}>
      <td className="pr-4 text-quiet">{words}</td>
      <td className="pr-4 font-mono">{of(sure.plain)}</td>
      {sure.temperature !== null && <td className="font-mono">{of(sure.tempered)}</td>}
    </tr>
  );
}

/** The mark of a bin, as in the drawing. */
function Key({ hollow = false }: { hollow?: boolean }) {
  return (
    <svg width="10" height="10" className="inline-block" aria-hidden="true">
      <Mark x={5} y={5} hollow={hollow} />
    </svg>
  );
}

function Mark({ x, y, hollow }: { x: number; y: number; hollow: boolean }) {
  return hollow ? (
    <rect
      x={x - 3.5}
      y={y - 3.5}
      width="7"
      height="7"
      fill="var(--surface)"
      stroke="var(--edge)"
      strokeWidth="1.5"
    />
  ) : (
    <rect x={x - 4} y={y - 4} width="8" height="8" fill="var(--choice)" />
  );
}

function Bins({ found, start, hollow = false }: { found: Calibration; start: number; hollow?: boolean }) {
  const colour = hollow ? "var(--edge)" : "var(--choice)";
  return calibrationPoints(found, start, SIDE).map((bin) => (
    <g key={bin.title}>
      <title>{bin.title}</title>
      <line x1={bin.x} x2={bin.x} y1={bin.low} y2={bin.high} stroke={colour} strokeWidth={hollow ? 1 : 1.5} />
      <Mark x={bin.x} y={bin.y} hollow={hollow} />
    </g>
  ));
}

function Ticks({ start }: { start: number }) {
  const ends = [start, (start + 1) / 2, 1];
  return ends.map((value, n) => (
    <g key={value} className="fill-quiet text-[11px]">
      <text x={(n * SIDE) / 2} y={SIDE + 14} textAnchor="middle">
        {value}
      </text>
      <text x={-5} y={SIDE - (n * SIDE) / 2 + 4} textAnchor="end">
        {value}
      </text>
    </g>
  ));
}
