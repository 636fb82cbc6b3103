/** A strip for each thing that was varied: a mark a trial, the fuller the better; a range that is dragged sifts. */
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { Knob, RunPlan } from "../../api/client";
import { carriedWords, placeOf, type Ranges, rangeWords, valueWords } from "../../domain/plans";
import type { Marked } from "./SearchView";

interface Props {
  plan: RunPlan;
  marked: Marked;
  ranges: Ranges;
  onRanges: (ranges: Ranges) => void;
}

export function Strips({ plan, marked, ranges, onRanges }: Props) {
  const set = (name: string, range: readonly [number, number] | undefined) => {
    const { [name]: _, ...rest } = ranges;
    onRanges(range ? { ...rest, [name]: range } : rest);
  };
  return (
    <ol data-testid="strips">
      {plan.space.map((knob) => (
        <Strip
          key={knob.name}
          plan={plan}
          knob={knob}
          marked={marked}
          range={ranges[knob.name]}
          onRange={(range) => set(knob.name, range)}
        />
      ))}
    </ol>
  );
}

interface StripProps {
  plan: RunPlan;
  knob: Knob;
  marked: Marked;
  range: readonly [number, number] | undefined;
  onRange: (range: readonly [number, number] | undefined) => void;
}

function Strip({ plan, knob, marked, range, onRange }: StripProps) {
  const dragging = useDragging(onRange);
  const carried = carriedWords(plan, knob.name);
  return (
    <li className="border-b border-hairline py-1.5" data-strip={knob.name}>
      <p className="flex items-baseline gap-3">
        <b>{knob.words}</b>
        {range && (
          <span className="text-choice">
            {rangeWords(knob, range)}{" "}
            <button type="button" onClick={() => onRange(undefined)} className="cursor-pointer underline">
              all again
            </button>
          </span>
        )}
        <span className="ml-auto text-sm text-quiet">{carried}</span>
      </p>
      <div
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a range is chosen by keys too
        tabIndex={0}
        aria-label={`${knob.words}: ${range ? rangeWords(knob, range) : "all"}. Arrows move the lower end, with Shift the upper one; Delete shows all again.`}
        className="relative mt-0.5 h-6 cursor-crosshair touch-none bg-sunken"
        {...dragging}
        onKeyDown={(event) => moved(event, knob, range, onRange)}
      >
        {range && (
          <span
            className="absolute top-0 h-full border-x-2 border-choice bg-choice-wash"
            style={{ left: `${100 * range[0]}%`, width: `${100 * (range[1] - range[0])}%` }}
          />
        )}
        {marks(plan, knob).map(({ trial, left }) => (
          <Mark key={trial} plan={plan} trial={trial} left={left} marked={marked} />
        ))}
      </div>
      <Scale knob={knob} />
    </li>
  );
}

/** Where each trial is marked; those of one listed value stand beside each other, the best at the right. */
function marks(plan: RunPlan, knob: Knob): { trial: number; left: number }[] {
  const found: { trial: number; left: number }[] = [];
  if (!knob.values.length) {
    for (const trial of plan.trials) {
      const place = placeOf(knob, trial.values[knob.name]);
      if (place !== undefined) found.push({ trial: trial.trial, left: place });
    }
    return found;
  }
  knob.values.forEach((value, column) => {
    const own = plan.trials.filter((trial) => trial.values[knob.name] === value);
    const sorted = [...own].sort((one, two) => key(plan, one.value) - key(plan, two.value));
    sorted.forEach((trial, n) => {
      const inside = (n + 0.5) / sorted.length;
      found.push({ trial: trial.trial, left: (column + 0.08 + 0.84 * inside) / knob.values.length });
    });
  });
  return found;
}

function key(plan: RunPlan, value: number | null): number {
  if (value === null) return -Infinity;
  return plan.rising ? value : -value;
}

function Mark(props: { plan: RunPlan; trial: number; left: number; marked: Marked }) {
  const { plan, trial, left, marked } = props;
  const own = trial === (marked.chosen ?? plan.best);
  const shade = marked.shades.get(trial);
  const inside = marked.inside.has(trial);
  return (
    <span
      title={plan.trials.find((entry) => entry.trial === trial)?.name}
      onPointerEnter={() => marked.onChoose(trial)}
      onPointerLeave={() => marked.onChoose(undefined)}
      className={`absolute -translate-x-1/2 ${own ? "-top-1 z-10 h-8 w-[5px] bg-choice outline-1 outline-ground" : "top-0 h-full w-[4px] bg-ink"}`}
      style={{
        left: `${100 * left}%`,
        opacity: own ? 1 : !inside ? 0.06 : shade === undefined ? 0.1 : 0.12 + 0.68 * shade ** 2,
      }}
    />
  );
}

function Scale({ knob }: { knob: Knob }) {
  if (knob.values.length)
    return (
      <p className="relative h-4 text-xs text-quiet">
        {knob.values.map((value, n) => (
          <span
            key={String(value)}
            className="absolute max-w-32 -translate-x-1/2 truncate"
            style={{ left: `${(100 * (n + 0.5)) / knob.values.length}%` }}
          >
            {valueWords(value)}
          </span>
        ))}
      </p>
    );
  return (
    <p className="flex justify-between text-xs text-quiet">
      <span>{valueWords(knob.low)}</span>
      {knob.by_ratio && <span>by ratio</span>}
      <span>{valueWords(knob.high)}</span>
    </p>
  );
}

/** A drag chooses from where it began to where it is; a press alone shows all again. */
function useDragging(onRange: StripProps["onRange"]) {
  const began = useRef<number>(undefined);
  const at = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
  };
  return {
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      began.current = at(event);
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => {
      if (began.current === undefined) return;
      const [low, high] = [Math.min(began.current, at(event)), Math.max(began.current, at(event))];
      if (high - low > 0.01) onRange([low, high]);
    },
    onPointerUp: (event: PointerEvent<HTMLElement>) => {
      if (began.current !== undefined && Math.abs(at(event) - began.current) <= 0.01) onRange(undefined);
      began.current = undefined;
    },
  };
}

function moved(
  event: KeyboardEvent,
  knob: Knob,
  range: readonly [number, number] | undefined,
  onRange: StripProps["onRange"],
) {
  if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    onRange(undefined);
    return;
  }
  const way = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
  if (!way) return;
  event.preventDefault();
  const step = way * (knob.values.length ? 1 / knob.values.length : 0.05);
  const [low, high] = range ?? [0, 1];
  const bound = (value: number) => Math.min(1, Math.max(0, value));
  const next: readonly [number, number] = event.shiftKey
    ? [low, Math.max(low, bound(high + step))]
    : [Math.min(high, bound(low + step)), high];
  onRange(next[0] <= 0 && next[1] >= 1 ? undefined : next);
}
