/** The field of a plan's plot with a few ticks on both sides. */
import type { Frame, Scale } from "../../domain/planPlots";

interface Props {
  x: Scale;
  y: Scale;
  frame: Frame;
  /** How a tick of x is written. */
  xWords?: (value: number) => string;
}

export function Axes({ x, y, frame, xWords = String }: Props) {
  return (
    <g className="fill-quiet text-[11px]">
      <rect width={frame.width} height={frame.height} fill="var(--surface)" stroke="var(--hairline)" />
      {y.ticks.map((tick) => (
        <g key={tick} transform={`translate(0, ${y.at(tick).toFixed(1)})`}>
          <line x2={frame.width} stroke="var(--hairline)" />
          <text x={-6} y={4} textAnchor="end">
            {tick}
          </text>
        </g>
      ))}
      {x.ticks.map((tick) => (
        <text
          key={tick}
          x={x.at(tick)}
          y={frame.height + 15}
          textAnchor={x.at(tick) > frame.width - 16 ? "end" : x.at(tick) < 8 ? "start" : "middle"}
        >
          {xWords(tick)}
        </text>
      ))}
    </g>
  );
}
