/** What the layers did: layers by epochs, shaded by a figure; a layer opens its bands. */
import { type PointerEvent, useEffect, useRef, useState } from "react";
import type { Layers } from "../../api/client";
import { useLayers } from "../../api/runQueries";
import { bandsOf, cellValue, figuresOf, figureWords, shading } from "../../domain/layers";
import { Failed, Reading } from "../../parts/States";
import { type Size, useSize } from "../../parts/useSize";

const NAMES = 150;
const FOOT = 18;

export function LayerStrip({ runId, trains }: { runId: number; trains: boolean }) {
  const layers = useLayers(runId);
  if (layers.isError) return <Failed error={layers.error} onRetry={() => void layers.refetch()} />;
  if (!layers.data) return <Reading what="the layers" />;
  if (!layers.data.epochs.length)
    return (
      <p className="p-4 text-quiet" data-testid="no-layers">
        {trains
          ? "No step was measured yet: every twentieth is, unless it was set otherwise."
          : "Nothing of the layers was recorded in this run."}
      </p>
    );
  return <Strip layers={layers.data} />;
}

function Strip({ layers }: { layers: Layers }) {
  const figures = figuresOf(layers);
  const [chosen, setChosen] = useState("update");
  const [opened, setOpened] = useState<number>();
  const figure = figures.some((entry) => entry.figure === chosen) ? chosen : (figures[0]?.figure ?? "");
  const [at, setAt] = useState<{ epoch: number; layer: number }>();
  const cell = at && layers.epochs[at.epoch]?.layers[at.layer];
  const value = cell ? cellValue(cell, figure) : null;
  return (
    <div className="flex h-full min-h-0 flex-col" data-testid="layer-strip">
      <p className="flex items-baseline gap-2 pl-1 text-[12px] leading-5 text-quiet">
        <select
          aria-label="Figure of the layers"
          value={figure}
          onChange={(event) => setChosen(event.target.value)}
          className="cursor-pointer rounded-control bg-ground text-ink"
        >
          {figures.map((entry) => (
            <option key={entry.figure} value={entry.figure}>
              {entry.words}
            </option>
          ))}
        </select>
        <span className="ml-auto truncate">
          {at && `epoch ${layers.epochs[at.epoch]?.number}, ${layers.layers[at.layer]}: `}
          {at ? (value === null ? "none" : figureWords(value)) : "the fuller the colour, the more"}
        </span>
      </p>
      {opened === undefined ? (
        <Cells layers={layers} figure={figure} onAt={setAt} onOpen={setOpened} />
      ) : (
        <LayerBands layers={layers} place={opened} onBack={() => setOpened(undefined)} />
      )}
    </div>
  );
}

interface CellsProps {
  layers: Layers;
  figure: string;
  onAt: (at: { epoch: number; layer: number } | undefined) => void;
  onOpen: (layer: number) => void;
}

function Cells({ layers, figure, onAt, onOpen }: CellsProps) {
  const [place, size] = useSize();
  const count = layers.layers.length;
  const where = (event: PointerEvent<HTMLCanvasElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const within = (part: number, all: number) => Math.min(all - 1, Math.max(0, Math.floor(part * all)));
    return {
      epoch: within((event.clientX - box.left) / box.width, layers.epochs.length),
      layer: within((event.clientY - box.top) / box.height, count),
    };
  };
  const first = layers.epochs[0]?.number ?? 1;
  const last = layers.epochs[layers.epochs.length - 1]?.number ?? 1;
  return (
    <div className="flex min-h-0 flex-1 overflow-y-auto">
      <ol
        className="grid shrink-0"
        style={{ width: NAMES, gridTemplateRows: `repeat(${count}, minmax(24px, 1fr)) ${FOOT}px` }}
      >
        {layers.layers.map((name, number) => (
          <li key={name} className="flex min-h-0">
            <button
              type="button"
              title={`Bands of ${name}`}
              onClick={() => onOpen(number)}
              className="min-w-0 flex-1 cursor-pointer truncate pr-2 text-right text-[11px] leading-none hover:text-choice"
            >
              {name}
            </button>
          </li>
        ))}
      </ol>
      <div ref={place} className="relative min-w-0 flex-1" style={{ minHeight: count * 24 + FOOT }}>
        {size && (
          <Painted
            layers={layers}
            figure={figure}
            size={{ width: size.width, height: size.height - FOOT }}
            onPointerMove={(event) => onAt(where(event))}
            onPointerLeave={() => onAt(undefined)}
            onClick={(event) => onOpen(where(event as PointerEvent<HTMLCanvasElement>).layer)}
          />
        )}
        <p className="absolute inset-x-0 bottom-0 flex justify-between text-[11px] leading-[18px] text-quiet">
          <span>epoch {first}</span>
          {last > first && <span>{last}</span>}
        </p>
      </div>
    </div>
  );
}

interface PaintedProps extends React.CanvasHTMLAttributes<HTMLCanvasElement> {
  layers: Layers;
  figure: string;
  size: Size;
}

/** One ink in all its shades; what has no figure stays hatched by the ground. */
function Painted({ layers, figure, size, ...handlers }: PaintedProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!canvas.current || !context) return;
    const ink = getComputedStyle(canvas.current).color;
    const shade = shading(layers, figure);
    const [columns, rows] = [layers.epochs.length, layers.layers.length];
    context.clearRect(0, 0, size.width, size.height);
    context.fillStyle = ink;
    layers.epochs.forEach((epoch, column) => {
      const [from, to] = [column, column + 1].map((n) => Math.round((n * size.width) / columns)) as [
        number,
        number,
      ];
      epoch.layers.forEach((cell, row) => {
        const strength = shade(cell);
        if (strength === null) return;
        const [top, bottom] = [row, row + 1].map((n) => Math.round((n * size.height) / rows)) as [
          number,
          number,
        ];
        context.globalAlpha = strength;
        context.fillRect(from, top, to - from, bottom - top - 1);
      });
    });
    context.globalAlpha = 1;
  }, [layers, figure, size.width, size.height]);
  return (
    <canvas
      ref={canvas}
      width={size.width}
      height={size.height}
      role="img"
      aria-label="Layers by epochs"
      className="cursor-pointer bg-sunken text-choice"
      {...handlers}
    />
  );
}

/** The quantiles of one layer's values and weights, epoch by epoch. */
function LayerBands({ layers, place, onBack }: { layers: Layers; place: number; onBack: () => void }) {
  return (
    <div className="flex min-h-0 flex-1 flex-col" data-testid="layer-bands">
      <p className="flex items-baseline gap-2 text-[13px]">
        <button type="button" onClick={onBack} className="min-h-6 cursor-pointer text-choice hover:underline">
          ‹ All layers
        </button>
        <b>{layers.layers[place]}</b>
        <span className="text-[12px] text-quiet">middle half, middle nine tenths, median</span>
      </p>
      <div className="flex min-h-0 flex-1 gap-4">
        <OneBand layers={layers} place={place} of="bands" title="Values" />
        <OneBand layers={layers} place={place} of="weight_bands" title="Weights" />
      </div>
    </div>
  );
}

interface OneBandProps {
  layers: Layers;
  place: number;
  of: "bands" | "weight_bands";
  title: string;
}

function OneBand({ layers, place, of, title }: OneBandProps) {
  const [box, size] = useSize();
  const drawn = size && bandsOf(layers, place, of, size.width, Math.max(20, size.height));
  return (
    <figure className="flex min-w-0 flex-1 flex-col">
      <figcaption className="flex justify-between text-[12px] text-quiet">
        <span className="text-ink">{title}</span>
        {drawn && `${figureWords(drawn.low)} to ${figureWords(drawn.high)}`}
      </figcaption>
      <div ref={box} className="relative min-h-0 flex-1">
        {drawn ? (
          <svg
            className="absolute inset-0"
            width={size.width}
            height={size.height}
            role="img"
            aria-label={`${title} of ${layers.layers[place]} over the epochs`}
          >
            {drawn.areas.map((path) => (
              <path key={path} d={path} fill="var(--choice)" opacity={0.25} />
            ))}
            <path d={drawn.middle} fill="none" stroke="var(--choice)" strokeWidth={2} />
          </svg>
        ) : (
          size && <p className="text-sm text-quiet">None were recorded.</p>
        )}
      </div>
    </figure>
  );
}
