/** Training and validation in one plot, the gap between them shaded, the kept epoch as a post. */
import { type PointerEvent, useId, useState } from "react";
import type { Epoch } from "../../api/client";
import { curveGeometry, curvePoints, type Measure, turningEpoch } from "../../domain/curves";
import { score } from "../../domain/words";
import { type Size, useSize } from "../../parts/useSize";

interface Props {
  epochs: readonly Epoch[];
  planned: number;
  kept: number | null;
  /** The first epoch in which everything learns, if only new layers did before. */
  thawed?: number | undefined;
  measure: Measure;
}

/** Where the plot lies within what is drawn. */
interface Box {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

function boxIn({ width, height }: Size): Box {
  return { left: 38, top: 26, right: width - 10, bottom: height - 34 };
}

/** The epoch nearest to the pointer. */
function epochAt({ clientX, currentTarget }: PointerEvent<SVGSVGElement>, planned: number, box: Box): number {
  const x = clientX - currentTarget.getBoundingClientRect().left;
  const part = (x - box.left) / (box.right - box.left);
  return Math.round(1 + part * (Math.max(2, planned) - 1));
}

/** Drawn as large as there is room, so that its words are as large as all others. */
export function Curves(props: Props) {
  const [place, size] = useSize();
  return (
    <figure ref={place} className="relative min-w-0 flex-1" data-testid={`curves-${props.measure}`}>
      <div className="absolute inset-0">{size && size.width > 60 && <Plotted {...props} size={size} />}</div>
    </figure>
  );
}

function Plotted({ epochs, planned, kept, thawed, measure, size }: Props & { size: Size }) {
  const title = useId();
  const [at, setAt] = useState<number>();
  const box = boxIn(size);
  const points = curvePoints(epochs, measure);
  const plot = curveGeometry(points, measure, planned, box);
  const turned = measure === "loss" ? turningEpoch(epochs) : undefined;
  const shown = points.find((point) => point.epoch === at) ?? points[points.length - 1];
  return (
    <svg
      width={size.width}
      height={size.height}
      role="img"
      aria-labelledby={title}
      onPointerMove={(event) => setAt(epochAt(event, planned, box))}
      onPointerLeave={() => setAt(undefined)}
    >
      <title id={title}>
        {measure} of training and validation over {epochs.length} epochs
      </title>
      <text x={box.left} y={14} className="fill-ink text-[13px] font-semibold">
        {measure === "loss" ? "Loss" : "Accuracy"}
      </text>
      {shown && (
        <text x={box.right} y={14} textAnchor="end" className="fill-quiet text-[12px]">
          epoch {shown.epoch}: training {score(shown.training)}, validation {score(shown.validation)}
        </text>
      )}
      <Axes plot={plot} box={box} />
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
      {thawed !== undefined && (
        <ThawedPost box={box} x={plot.x(thawed - 0.5)} wide={plot.x(thawed) - box.left} />
      )}
      {kept !== null && kept > 0 && (
        <KeptPost box={box} x={plot.x(kept)} epoch={kept} late={kept > planned * 0.8} />
      )}
      {at !== undefined && shown?.epoch === at && (
        <line
          x1={plot.x(at)}
          x2={plot.x(at)}
          y1={box.top}
          y2={box.bottom}
          stroke="var(--edge)"
          strokeDasharray="2 2"
        />
      )}
    </svg>
  );
}

type Plot = ReturnType<typeof curveGeometry>;

function Axes({ plot, box }: { plot: Plot; box: Box }) {
  return (
    <>
      {plot.yTicks.map((tick) => (
        <g key={tick.label}>
          <line x1={box.left} x2={box.right} y1={tick.at} y2={tick.at} stroke="var(--hairline)" />
          <text x={box.left - 5} y={tick.at + 4} textAnchor="end" className="fill-quiet text-[11px]">
            {tick.label}
          </text>
        </g>
      ))}
      {plot.xTicks.map((tick) => (
        <text
          key={tick.label}
          x={tick.at}
          y={box.bottom + 15}
          textAnchor="middle"
          className="fill-quiet text-[11px]"
        >
          {tick.label}
        </text>
      ))}
      <text x={box.right} y={box.bottom + 29} textAnchor="end" className="fill-quiet text-[11px]">
        epoch
      </text>
      <line x1={box.left} x2={box.right} y1={box.bottom} y2={box.bottom} stroke="var(--edge)" />
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

/** Between the phase in which only new layers learn, and the one in which everything does. */
function ThawedPost({ x, wide, box }: { x: number; wide: number; box: Box }) {
  return (
    <g data-testid="thawed">
      <line x1={x} x2={x} y1={box.top} y2={box.bottom} stroke="var(--quiet)" strokeDasharray="1 3" />
      {wide > 90 && (
        <text x={x - 5} y={box.bottom - 6} textAnchor="end" className="fill-quiet text-[11px]">
          new layers
        </text>
      )}
      <text x={x + 5} y={box.bottom - 6} className="fill-quiet text-[11px]">
        everything
      </text>
    </g>
  );
}

function KeptPost({ x, epoch, late, box }: { x: number; epoch: number; late: boolean; box: Box }) {
  return (
    <g>
      <line x1={x} x2={x} y1={box.top} y2={box.bottom} stroke="var(--good)" strokeWidth={3} />
      <text
        x={x + (late ? -6 : 6)}
        y={box.top + 10}
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
