/** Answering or not: what share is answered above a probability, and how many of those answers are right. */
import { type PointerEvent, useState } from "react";
import type { Answered, JudgedSet, Model, Sureness, UnsureUpdate } from "../../api/client";
import {
  aimWords,
  answeredWords,
  answeringLine,
  oneThreshold,
  postAt,
  reachesByClass,
  unsureWords,
} from "../../domain/sureness";
import { Button } from "../../parts/Button";
import { PlotFrame } from "./PlotFrame";

const WIDTH = 300;
const HEIGHT = 190;
const NOTHING: Answered = { answered: 0, right: 0, interval: [0, 1] };

interface Props {
  model: Model;
  set: JudgedSet;
  answering: Sureness["answering"];
  busy: boolean;
  onSet: (update: UnsureUpdate) => void;
}

export function AnsweringPlot({ model, set, answering, busy, onSet }: Props) {
  const [post, setPost] = useState(() => postAt(answering.thresholds, oneThreshold(model) ?? 0.5));
  const below = answering.thresholds[post] ?? 0;
  const found = answering.posts[post] ?? NOTHING;
  return (
    <section aria-label="Answering or not" className="flex gap-5" data-testid="answering">
      <Plot answering={answering} post={post} onPost={setPost} />
      <div className="min-w-0 flex-1 text-sm">
        <h3 className="text-base font-semibold">When should it say “unsure”?</h3>
        <label className="mt-1 flex items-center gap-2">
          <span className="text-quiet">below</span>
          <input
            type="range"
            min={0}
            max={answering.thresholds.length - 1}
            value={post}
            aria-label="Unsure below"
            aria-valuetext={`${below}`}
            onChange={(event) => setPost(Number(event.target.value))}
            className="min-w-0 flex-1 accent-choice"
          />
          <b className="w-11 font-mono">{below}</b>
        </label>
        <p data-testid="answered" className="min-h-6">
          {answeredWords(found, answering.count)}
        </p>
        {set === "validation" ? (
          <>
            <Button
              className="mt-1"
              disabled={busy || !found.answered}
              onClick={() => onSet({ below, by_class: false })}
            >
              Unsure below {below}
            </Button>
            <Aims answering={answering} busy={busy} onSet={onSet} />
          </>
        ) : (
          <p className="text-quiet">The threshold is set on the validation pictures.</p>
        )}
        <p className="mt-2 border-t border-hairline pt-2" data-testid="unsure">
          {unsureWords(model)}{" "}
          {model.unsure_below && (
            <button
              type="button"
              disabled={busy}
              onClick={() => onSet({ by_class: false })}
              className="min-h-6 cursor-pointer text-choice hover:underline"
            >
              Never
            </button>
          )}
        </p>
      </div>
    </section>
  );
}

/** So that so many of the answers are right: the lowest thresholds that do, in all or by class. */
function Aims({ answering, busy, onSet }: Pick<Props, "answering" | "busy" | "onSet">) {
  const [place, setPlace] = useState(2);
  const aim = answering.aims[place];
  if (!aim) return null;
  return (
    <div className="mt-2">
      <label>
        or so that{" "}
        <select
          aria-label="Share of the answers that shall be right"
          value={place}
          onChange={(event) => setPlace(Number(event.target.value))}
          className="rounded-control cursor-pointer border border-edge bg-surface"
        >
          {answering.aims.map((entry, n) => (
            <option key={entry.wanted} value={n}>
              {entry.wanted}
            </option>
          ))}
        </select>{" "}
        of the answers are right
      </label>
      {[false, true].map((byClass) => (
        <p key={String(byClass)} className="flex items-baseline gap-2">
          <span className="min-w-0 flex-1">{aimWords(aim, answering.count, byClass)}</span>
          <button
            type="button"
            disabled={busy || (aim.below === null && !(byClass && reachesByClass(aim)))}
            aria-label={byClass ? "Use the thresholds by class" : "Use this threshold"}
            onClick={() => onSet({ wanted: aim.wanted, by_class: byClass })}
            className="min-h-6 text-choice enabled:cursor-pointer enabled:hover:underline disabled:opacity-45"
          >
            Use
          </button>
        </p>
      ))}
    </div>
  );
}

interface PlotProps {
  answering: Sureness["answering"];
  post: number;
  onPost: (post: number) => void;
}

function Plot({ answering, post, onPost }: PlotProps) {
  const { points, line, band, floor } = answeringLine(answering, WIDTH, HEIGHT);
  const at = points[post];
  const drag = (event: PointerEvent<SVGRectElement>) => {
    if (event.type === "pointerdown") event.currentTarget.setPointerCapture(event.pointerId);
    else if (!event.buttons) return;
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    let nearest = 0;
    points.forEach((point, place) => {
      if (Math.abs(point.x - x) < Math.abs((points[nearest]?.x ?? 0) - x)) nearest = place;
    });
    onPost(nearest);
  };
  return (
    <PlotFrame
      width={WIDTH}
      height={HEIGHT}
      label="Share that is right over the share that is answered"
      x="share that is answered"
      y="share that is right"
    >
      <path d={band} fill="var(--choice)" opacity={0.18} />
      <path d={line} fill="none" stroke="var(--choice)" strokeWidth={2} />
      {at && (
        <g data-testid="post">
          <line x1={at.x} x2={at.x} y1={0} y2={HEIGHT} stroke="var(--ink)" />
          <rect x={at.x - 4} y={at.y - 4} width={8} height={8} fill="var(--ink)" />
        </g>
      )}
      <g className="fill-quiet text-[11px]">
        <text x={-5} y={HEIGHT + 4} textAnchor="end">
          {floor}
        </text>
        <text x={-5} y={8} textAnchor="end">
          1
        </text>
        <text x={0} y={HEIGHT + 14}>
          0 %
        </text>
        <text x={WIDTH} y={HEIGHT + 14} textAnchor="end">
          100 %
        </text>
      </g>
      <rect
        width={WIDTH}
        height={HEIGHT}
        fill="transparent"
        className="cursor-ew-resize touch-none"
        onPointerDown={drag}
        onPointerMove={drag}
      />
    </PlotFrame>
  );
}
