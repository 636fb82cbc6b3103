/** Training and validation in one plot, the gap between them shaded, the kept epoch as a post. */
import { type PointerEvent, useId, useState } from "react";
import type { Epoch } from "../../api/client";
import { curveGeometry, curvePoints, type Measure, turningEpoch } from "../../domain/curves";
import { score } from "../../domain/words";

interface Props {
  epochs: readonly Epoch[];
  planned: number;
  kept: number | null;
  measure: Measure;
}

const WIDTH = 460;
const HEIGHT = 440;
const BOX = { left: 38, top: 26, right: WIDTH - 10, bottom: HEIGHT - 34 };

/** The epoch nearest to the pointer. */
function epochAt({ clientX, currentTarget }: PointerEvent<SVGSVGElement>, planned: number): number {
  const box = currentTarget.getBoundingClientRect();
  const x = ((clientX - box.left) / box.width) * WIDTH;
  const part = (x - BOX.left) / (BOX.right - BOX.left);
  return Math.round(1 + part * (Math.max(2, planned) - 1));
}

export function Curves({ epochs, planned, kept, measure }: Props) {
  const title = useId();
  const [at, setAt] = useState<number>();
  const points = curvePoints(epochs, measure);
  const plot = curveGeometry(points, measure, planned, BOX);
  const turned = measure === "loss" ? turningEpoch(epochs) : undefined;
  const shown = points.find((point) => point.epoch === at) ?? points[points.length - 1];
  return (
    <figure className="min-w-0 flex-1" data-testid={`curves-${measure}`}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-labelledby={title}
        className="h-auto max-h-full w-full"
        onPointerMove={(event) => setAt(epochAt(event, planned))}
        onPointerLeave={() => setAt(undefined)}
      >
        <title id={title}>
          {measure} of training and validation over {epochs.length} epochs
        </title>
        <text x={BOX.left} y={14} className="fill-ink text-[13px] font-semibold">
          {measure === "loss" ? "Loss" : "Accuracy"}
        </text>
        {shown && (
          <text x={BOX.right} y={14} textAnchor="end" className="fill-quiet text-[12px]">
            epoch {shown.epoch}: training {score(shown.training)}, validation {score(shown.validation)}
          </text>
        )}
        <Axes plot={plot} />
        {points.length > 0 && <Lines plot={plot} points={points} />}
        {turned !== undefined && (
          <circle
            cx={plot.x(turned)}
            cy={plot.y(points.find((point) => point.epoch === turned)?.validation ?? 0)}
            r={5}
            fill="none"
            stroke="var(--wrong)"
            strokeWidth={2}
          />
        )}
        {kept !== null && kept > 0 && <KeptPost x={plot.x(kept)} epoch={kept} late={kept > planned * 0.8} />}
        {at !== undefined && shown?.epoch === at && (
          <line
            x1={plot.x(at)}
            x2={plot.x(at)}
            y1={BOX.top}
            y2={BOX.bottom}
            stroke="var(--edge)"
            strokeDasharray="2 2"
          />
        )}
      </svg>
    </figure>
  );
}

type Plot = ReturnType<typeof curveGeometry>;

function Axes({ plot }: { plot: Plot }) {
  return (
    <>
      {plot.yTicks.map((tick) => (
        <g key={tick.label}>
          <line x1={BOX.left} x2={BOX.right} y1={tick.at} y2={tick.at} stroke="var(--hairline)" />
          <text x={BOX.left - 5} y={tick.at + 4} textAnchor="end" className="fill-quiet text-[11px]">
            {tick.label}
          </text>
        </g>
      ))}
      {plot.xTicks.map((tick) => (
        <text
          key={tick.label}
          x={tick.at}
          y={BOX.bottom + 15}
          textAnchor="middle"
          className="fill-quiet text-[11px]"
        >
          {tick.label}
        </text>
      ))}
      <text x={BOX.right} y={HEIGHT - 5} textAnchor="end" className="fill-quiet text-[11px]">
        epoch
      </text>
      <line x1={BOX.left} x2={BOX.right} y1={BOX.bottom} y2={BOX.bottom} stroke="var(--edge)" />
    </>
  );
}

function Lines({ plot, points }: { plot: Plot; points: ReturnType<typeof curvePoints> }) {
  return (
    <>
      <path d={plot.gap} fill="var(--choice)" opacity={0.12} />
      <path d={plot.training} fill="none" stroke="var(--training)" strokeWidth={1.75} strokeDasharray="5 3" />
      <path d={plot.validation} fill="none" stroke="var(--choice)" strokeWidth={2.25} />
      {points.length === 1 && points[0] && (
        <>
          <circle cx={plot.x(1)} cy={plot.y(points[0].training)} r={3} fill="var(--training)" />
          <circle cx={plot.x(1)} cy={plot.y(points[0].validation)} r={3} fill="var(--choice)" />
        </>
      )}
    </>
  );
}

function KeptPost({ x, epoch, late }: { x: number; epoch: number; late: boolean }) {
  return (
    <g>
      <line x1={x} x2={x} y1={BOX.top} y2={BOX.bottom} stroke="var(--good)" strokeWidth={3} />
      <text
        x={x + (late ? -6 : 6)}
        y={BOX.top + 10}
        textAnchor={late ? "end" : "start"}
        className="fill-good text-[12px] font-semibold"
      >
        kept: {epoch}
      </text>
    </g>
  );
}

/** One for both plots, beside the words about them. */
export function CurveLegend() {
  return (
    <svg
      width={250}
      height={16}
      role="img"
      aria-label="dashed: training; solid: validation; shaded: the gap between them"
    >
      <g className="text-[12px]">
        <line
          x1={0}
          x2={22}
          y1={8}
          y2={8}
          stroke="var(--training)"
          strokeWidth={1.75}
          strokeDasharray="5 3"
        />
        <text x={27} y={12} className="fill-ink">
          training
        </text>
        <line x1={84} x2={106} y1={8} y2={8} stroke="var(--choice)" strokeWidth={2.25} />
        <text x={111} y={12} className="fill-ink">
          validation
        </text>
        <rect x={178} y={2} width={14} height={11} fill="var(--choice)" opacity={0.18} />
        <text x={197} y={12} className="fill-ink">
          gap
        </text>
      </g>
    </svg>
  );
}
