/** How a measure is distributed, with what is named of it; dragging over a part shows the pictures there. */
import { type PointerEvent, useRef, useState } from "react";
import type { FindingLine } from "../../api/client";
import { useHistogram } from "../../api/findingQueries";
import { useAddress } from "../../app/context";
import { measureWords, type Range, rangeOfBars, rangeOfSift, siftOfRange } from "../../domain/findings";

const WIDTH = 320;
const HEIGHT = 64;
/** Small is strange of these. */
const RISING = new Set(["dark", "flat", "tiny"]);

interface Props {
  projectId: number;
  line: FindingLine;
  sift: string;
}

export function MeasureHistogram({ projectId, line, sift }: Props) {
  const [, setAddress] = useAddress();
  const { data: found } = useHistogram(projectId, line);
  const place = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ from: number; to: number }>();
  const measure = line.measure ?? "";
  if (!found?.counts.length) return null;
  const bars = found.counts.length;
  const most = Math.max(...found.counts);
  const chosen = drag ? rangeOfBars(found, drag.from, drag.to) : rangeOfSift(sift, measure);
  const low = found.bounds[0] ?? 0;
  const high = found.bounds.at(-1) ?? 1;
  const x = (value: number) => (WIDTH * (value - low)) / (high - low || 1);
  const show = (range: Range) => setAddress({ sift: siftOfRange(measure, range, !RISING.has(line.name)) });
  const barAt = (event: PointerEvent) => {
    const box = place.current?.getBoundingClientRect();
    const share = box ? (event.clientX - box.left) / box.width : 0;
    return Math.max(0, Math.min(bars - 1, Math.floor(share * bars)));
  };
  // A few in a bar of many are seen too.
  const tall = (count: number) => (count ? Math.max(2, HEIGHT * Math.sqrt(count / most)) : 0);
  return (
    <figure className="mt-2">
      <svg
        ref={place}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full cursor-crosshair touch-none"
        role="img"
        aria-label={`${measureWords(measure)}: from ${told(low)} to ${told(high)}; ${line.count} pictures are named`}
        data-testid="histogram"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag({ from: barAt(event), to: barAt(event) });
        }}
        onPointerMove={(event) => drag && setDrag({ ...drag, to: barAt(event) })}
        onPointerUp={() => {
          if (drag) show(rangeOfBars(found, drag.from, drag.to));
          setDrag(undefined);
        }}
      >
        {chosen && (
          <rect
            x={x(chosen.low)}
            width={Math.max(2, x(chosen.high) - x(chosen.low))}
            height={HEIGHT}
            fill="var(--choice)"
            opacity={0.2}
          />
        )}
        {found.counts.map((count, n) => {
          const left = (WIDTH * n) / bars;
          const named = found.named[n] ?? 0;
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its place
            <g key={n}>
              <rect
                x={left}
                y={HEIGHT - tall(count)}
                width={WIDTH / bars - 1}
                height={tall(count)}
                fill="var(--edge)"
              />
              <rect
                x={left}
                y={HEIGHT - tall(count) * (count ? named / count : 0)}
                width={WIDTH / bars - 1}
                height={tall(count) * (count ? named / count : 0)}
                fill="var(--wrong)"
              />
            </g>
          );
        })}
      </svg>
      <figcaption className="flex justify-between text-quiet">
        <span>{told(low)}</span>
        <span>{measureWords(measure)}</span>
        <span>{told(high)}</span>
      </figcaption>
      <RangeFields key={`${chosen?.low}-${chosen?.high}`} range={chosen ?? { low, high }} onRange={show} />
    </figure>
  );
}

/** The same range by keys. */
function RangeFields({ range, onRange }: { range: Range; onRange: (range: Range) => void }) {
  const [low, setLow] = useState(told(range.low));
  const [high, setHigh] = useState(told(range.high));
  const good = Number.isFinite(Number(low)) && Number.isFinite(Number(high)) && Number(low) <= Number(high);
  const field = (words: string, value: string, change: (text: string) => void) => (
    <label className="flex items-center gap-1">
      <span className="text-quiet">{words}</span>
      <input
        value={value}
        aria-invalid={!good}
        onChange={(event) => change(event.target.value)}
        className="rounded-control w-[72px] border border-edge bg-surface px-1 font-mono aria-invalid:border-wrong"
      />
    </label>
  );
  return (
    <form
      className="mt-1 flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (good) onRange({ low: Number(low), high: Number(high) });
      }}
    >
      {field("from", low, setLow)}
      {field("to", high, setHigh)}
      <button type="submit" className="cursor-pointer px-1 text-choice underline" disabled={!good}>
        show
      </button>
    </form>
  );
}

function told(value: number): string {
  return String(Number(value.toPrecision(3)));
}
