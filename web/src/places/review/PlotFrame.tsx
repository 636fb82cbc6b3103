/** The field of a small plot with the titles of its axes; what is drawn stands within. */
import type { ReactNode } from "react";

interface Props {
  width: number;
  height: number;
  label: string;
  x: string;
  y: string;
  children: ReactNode;
}

/** Room for the figures and the title at the left, and below. */
const LEFT = 50;
const BELOW = 36;

export function PlotFrame({ width, height, label, x, y, children }: Props) {
  return (
    <svg
      width={width + LEFT + 12}
      height={height + BELOW + 12}
      className="shrink-0 overflow-visible"
      role="img"
      aria-label={label}
    >
      <g transform={`translate(${LEFT}, 8)`}>
        <rect width={width} height={height} fill="var(--surface)" stroke="var(--hairline)" />
        {children}
        <text x={width / 2} y={height + 30} textAnchor="middle" className="fill-quiet text-[12px]">
          {x}
        </text>
        <text
          transform={`translate(-38, ${height / 2}) rotate(-90)`}
          textAnchor="middle"
          className="fill-quiet text-[12px]"
        >
          {y}
        </text>
      </g>
    </svg>
  );
}
