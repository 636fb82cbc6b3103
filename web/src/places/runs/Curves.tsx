/** Training and validation in one plot, the gap between them shaded, the kept epoch as a post. */
import { type PointerEvent, type ReactNode, useId, useState } from "react";
import type { Epoch } from "../../api/client";
import {
  type Box,
  type ClassLine,
  endSigns,
  type Line,
  linesOf,
  type Plot,
  plotOf,
  readAt,
  type Shown,
  stepPath,
  type UnderWay,
} from "../../domain/curveLines";
import { type Size, useSize } from "../../parts/useSize";

export interface CurvesProps {
  epochs: readonly Epoch[];
  planned: number;
  kept: number | null;
  /** The first epoch in which everything learns, if only new layers did before. */
  thawed?: number | undefined;
  /** The epoch in which validation loss turned, if it did. */
  turned?: number | null | undefined;
  underWay?: UnderWay | undefined;
  shown: Shown;
  logarithmic?: boolean;
  /** Of the run, in its order. */
  classes: readonly ClassLine[];
  /** What it is, and how that is changed. */
  head: ReactNode;
}

function boxIn({ width, height }: Size, shown: Shown): Box {
  return { left: 42, top: 26, right: width - (shown === "recall" ? 30 : 10), bottom: height - 34 };
}

/** The epoch nearest to the pointer. */
function epochAt(
  { clientX, currentTarget }: PointerEvent<SVGSVGElement>,
  planned: number,
  box: Box,
  first: number,
): number {
  const x = clientX - currentTarget.getBoundingClientRect().left;
  const part = (x - box.left) / (box.right - box.left);
  return Math.round(first + part * (Math.max(2, planned) - first));
}

/** Drawn as large as there is room, so that its words are as large as all others. */
export function Curves(props: CurvesProps) {
  const [place, size] = useSize();
  return (
    <figure ref={place} className="relative min-w-0 flex-1" data-testid={`curves-${props.shown}`}>
      <div className="absolute inset-0">{size && size.width > 60 && <Plotted {...props} size={size} />}</div>
      <figcaption className="absolute top-0 left-[42px] text-[13px] leading-5 font-semibold">
        {props.head}
      </figcaption>
    </figure>
  );
}

const TITLE: Record<Shown, string> = {
  loss: "loss of training and validation",
  accuracy: "accuracy of training and validation",
  "macro-f1": "macro F1 on validation",
  recall: "recall of each class on validation",
  rate: "learning rate",
};

interface PlottedProps extends Omit<CurvesProps, "head"> {
  size: Size;
  /** What it is stands in the drawing itself, where no heading does. */
  titled?: boolean;
}

export function Plotted(props: PlottedProps) {
  const { epochs, planned, kept, thawed, shown, size } = props;
  const title = useId();
  const [at, setAt] = useState<number>();
  const box = boxIn(size, shown);
  const lines = linesOf(shown, epochs, props.classes);
  const numbers = epochs.map((entry) => entry.number);
  // Earlier versions recorded no steps, and nothing lies before their first epoch.
  const first = props.underWay || epochs.some((entry) => entry.losses.length > 0) ? 0 : 1;
  const plot = plotOf(shown, lines, numbers, planned, box, props.logarithmic, first);
  const pointed = numbers.indexOf(at ?? -1);
  const place = pointed >= 0 ? pointed : numbers.length - 1;
  return (
    <svg
      width={size.width}
      height={size.height}
      role="img"
      aria-labelledby={title}
      onPointerMove={(event) => setAt(epochAt(event, planned, box, first))}
      onPointerLeave={() => setAt(undefined)}
    >
      <title id={title}>
        {TITLE[shown]} over {epochs.length} epochs
      </title>
      {props.titled && (
        <text x={box.left} y={14} className="fill-ink text-[13px] font-semibold">
          {TITLE[shown]}
        </text>
      )}
      {place >= 0 && (
        <text x={box.right} y={14} textAnchor="end" className="fill-quiet text-[12px]">
          epoch {numbers[place]}: {readAt(shown, lines, place)}
        </text>
      )}
      <Axes plot={plot} box={box} />
      {shown === "loss" && (
        <path
          d={stepPath(plot, epochs, props.underWay)}
          fill="none"
          stroke="var(--training)"
          strokeWidth={0.75}
          opacity={0.5}
          data-testid="step-line"
        >
          <title>loss of steps</title>
        </path>
      )}
      <Lines plot={plot} lines={lines} />
      {endSigns(plot, lines, box).map((end) => (
        <text key={end.sign} x={box.right + 6} y={end.at + 4} className="fill-ink text-[11px]">
          {end.sign}
        </text>
      ))}
      {shown === "loss" && <TurnedMark plot={plot} epochs={epochs} turned={props.turned} />}
      {thawed !== undefined && (
        <ThawedPost box={box} x={plot.x(thawed - 0.5)} wide={plot.x(thawed) - box.left} />
      )}
      {kept !== null && kept > 0 && (
        <KeptPost box={box} x={plot.x(kept)} epoch={kept} late={kept > planned * 0.8} />
      )}
      {pointed >= 0 && (
        <line
          x1={plot.x(at ?? 0)}
          x2={plot.x(at ?? 0)}
          y1={box.top}
          y2={box.bottom}
          stroke="var(--edge)"
          strokeDasharray="2 2"
        />
      )}
    </svg>
  );
}

/** Where validation loss turned. */
function TurnedMark({ plot, epochs, turned }: Pick<CurvesProps, "epochs" | "turned"> & { plot: Plot }) {
  const loss = epochs.find((entry) => entry.number === turned)?.figures.validation_loss;
  if (!turned || loss === undefined) return null;
  return (
    <circle
      cx={plot.x(turned)}
      cy={plot.y(loss)}
      r={5}
      fill="none"
      stroke="var(--wrong)"
      strokeWidth={2}
      data-testid="turned"
    />
  );
}

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

function Lines({ plot, lines }: { plot: Plot; lines: readonly Line[] }) {
  return (
    <>
      {plot.gap && <path d={plot.gap} fill="var(--choice)" opacity={0.12} />}
      {lines.map((entry, place) => (
        <path
          key={entry.name}
          d={plot.paths[place]?.d}
          fill="none"
          stroke={entry.colour}
          strokeWidth={entry.small ? 1.5 : entry.dashed ? 1.75 : 2.25}
          strokeLinecap="round"
          strokeDasharray={entry.dashed ? "5 3" : undefined}
        >
          <title>{entry.name}</title>
        </path>
      ))}
      {lines.map((entry) =>
        entry.values.length === 1 && entry.values[0] != null ? (
          <circle key={entry.name} cx={plot.x(1)} cy={plot.y(entry.values[0])} r={3} fill={entry.colour} />
        ) : null,
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
