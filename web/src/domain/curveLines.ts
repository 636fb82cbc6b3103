/** Lines over the epochs as geometry: losses on either scale, scores, the recall of every class, the rate. */
import { scaleLinear, scaleLog } from "d3-scale";
import { area, line } from "d3-shape";
import type { Epoch } from "../api/client";
import { score } from "./words";

export interface Box {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

/** What one plot shows. */
export type Shown = "loss" | "accuracy" | "macro-f1" | "recall" | "rate";

export interface Line {
  readonly name: string;
  readonly values: readonly (number | null)[];
  readonly colour: string;
  readonly dashed: boolean;
  /** One of many, drawn thinly. */
  readonly small: boolean;
  /** Stands at its end, so that colour alone tells nothing. */
  readonly sign: string;
}

export interface Plot {
  readonly paths: readonly { readonly name: string; readonly d: string }[];
  /** Between the first two lines, if they are a pair. */
  readonly gap: string;
  readonly xTicks: readonly { at: number; label: string }[];
  readonly yTicks: readonly { at: number; label: string }[];
  readonly x: (epoch: number) => number;
  readonly y: (value: number) => number;
}

function figure(epochs: readonly Epoch[], name: string): (number | null)[] {
  return epochs.map((entry) => entry.figures[name] ?? null);
}

/** Training and validation as a pair. */
function pair(epochs: readonly Epoch[], measure: "loss" | "accuracy"): Line[] {
  const base = { small: false, sign: "" };
  return [
    {
      ...base,
      name: "training",
      values: figure(epochs, `training_${measure}`),
      colour: "var(--training)",
      dashed: true,
    },
    {
      ...base,
      name: "validation",
      values: figure(epochs, `validation_${measure}`),
      colour: "var(--choice)",
      dashed: false,
    },
  ];
}

export interface ClassLine {
  readonly name: string;
  readonly sign: string;
  readonly colour: string;
}

/** The lines of a plot; classes in the order in which epochs hold their recall. */
export function linesOf(
  shown: Shown,
  epochs: readonly Epoch[],
  classes: readonly ClassLine[],
): readonly Line[] {
  const one = (name: string, of: string): Line => ({
    name,
    values: figure(epochs, of),
    colour: "var(--choice)",
    dashed: false,
    small: false,
    sign: "",
  });
  switch (shown) {
    case "loss":
    case "accuracy":
      return pair(epochs, shown);
    case "macro-f1":
      return [one("validation", "validation_macro_f1")];
    case "rate":
      return [one("rate at the end of the epoch", "learning_rate")];
    case "recall":
      return classes.map(({ name, colour, sign }, place) => ({
        name,
        values: epochs.map((entry) => entry.recalls[place] ?? null),
        colour,
        dashed: false,
        small: true,
        sign,
      }));
  }
}

/** One bad first epoch must not press the rest of a loss onto the axis. */
const USUAL = 0.97;

function range(shown: Shown, values: readonly number[], logarithmic: boolean): [number, number] {
  switch (shown) {
    case "loss": {
      const usual = [...values].sort((a, b) => a - b)[Math.floor(values.length * USUAL)] ?? 1;
      const high = Math.max(0.1, usual * 1.08);
      return [logarithmic ? Math.max(1e-4, Math.min(...values, high / 10)) : 0, high];
    }
    case "recall":
      return [0, 1];
    case "rate":
      return [0, Math.max(1e-6, ...values) * 1.05];
    default:
      return [Math.max(0, Math.min(0.9, ...values)), 1];
  }
}

/** Lines and axes within a box; the axis of epochs reaches to the planned end from the start. */
export function plotOf(
  shown: Shown,
  lines: readonly Line[],
  numbers: readonly number[],
  planned: number,
  box: Box,
  logarithmic = false,
  /** Where the axis begins: 0 where steps before the first epoch's end are drawn. */
  first = 1,
): Plot {
  const x = scaleLinear()
    .domain([first, Math.max(2, planned)])
    .range([box.left, box.right]);
  const values = lines.flatMap((entry) => entry.values.filter((value) => value !== null));
  const ends = range(shown, values, logarithmic);
  const across: [number, number] = [box.bottom, box.top];
  const y = logarithmic
    ? scaleLog().domain(ends).range(across).nice().clamp(true)
    : scaleLinear().domain(ends).range(across).nice(5).clamp(true);
  const at = (place: number) => x(numbers[place] ?? 0);
  const along = line<number | null>()
    .defined((value) => value !== null)
    .x((_, place) => at(place))
    .y((value) => y(value ?? 0));
  const [one, two] = lines;
  const between = area<number | null>()
    .defined((value, place) => value !== null && (two?.values[place] ?? null) !== null)
    .x((_, place) => at(place))
    .y0((value) => y(value ?? 0))
    .y1((_, place) => y(two?.values[place] ?? 0));
  const whole = x.ticks(Math.min(8, planned)).filter((value) => Number.isInteger(value) && value > 0);
  const heights = y.ticks(5);
  return {
    paths: lines.map((entry) => ({ name: entry.name, d: along([...entry.values]) ?? "" })),
    gap: one && lines.length === 2 ? (between([...one.values]) ?? "") : "",
    xTicks: whole.map((value) => ({ at: x(value), label: String(value) })),
    yTicks: heights
      // A logarithmic scale offers every multiple; those of 1, 2 and 5 can be read.
      .filter((value) => !logarithmic || /^[125]/.test(value.toExponential()))
      .map((value) => ({ at: y(value), label: tick(shown, value, logarithmic) })),
    x: (epoch) => x(epoch),
    y: (value) => y(value),
  };
}

function tick(shown: Shown, value: number, logarithmic: boolean): string {
  if (shown === "rate") return value === 0 ? "0" : String(Number(value.toPrecision(2)));
  if (logarithmic) return String(Number(value.toPrecision(1)));
  return value.toFixed(shown === "loss" || shown === "recall" ? 1 : 2);
}

/** More points than this are no longer told apart. */
const STEP_POINTS = 2000;

/** The epoch under way: its losses so far, and how much of it is done. */
export interface UnderWay {
  readonly losses: readonly number[];
  readonly part: number;
}

/** The loss of steps as one line; each epoch's lie between it and the one before. */
export function stepPath(plot: Plot, epochs: readonly Epoch[], underWay?: UnderWay): string {
  const spread = (losses: readonly number[], from: number, part: number) =>
    losses.map((value, place) => ({ at: from + ((place + 1) / losses.length) * part, value }));
  const done = epochs.flatMap(({ number, losses }) => spread(losses, number - 1, 1));
  const last = epochs[epochs.length - 1]?.number ?? 0;
  const points = underWay ? [...done, ...spread(underWay.losses, last, underWay.part)] : done;
  const every = Math.max(1, Math.ceil(points.length / STEP_POINTS));
  const drawn = points.filter((_, place) => place % every === 0);
  return (
    line<(typeof points)[number]>()
      .x((point) => plot.x(point.at))
      .y((point) => plot.y(point.value))(drawn) ?? ""
  );
}

/** Where the signs at the ends of lines stand: at the last value, and apart enough to be read. */
export function endSigns(
  plot: Plot,
  lines: readonly Line[],
  box: Box,
): readonly { sign: string; at: number }[] {
  const ends = lines
    .flatMap((entry) => {
      const last = entry.values[entry.values.length - 1] ?? null;
      return entry.sign && last !== null ? [{ sign: entry.sign, at: plot.y(last) }] : [];
    })
    .sort((a, b) => a.at - b.at);
  const apart = Math.min(SIGN_HEIGHT, (box.bottom - box.top) / Math.max(1, ends.length - 1));
  let free = box.top;
  const down = ends.map((end) => {
    const at = Math.max(end.at, free);
    free = at + apart;
    return { ...end, at };
  });
  // What was pushed below the axis is pushed up again.
  let most = box.bottom;
  return [...down]
    .reverse()
    .map((end) => {
      const at = Math.min(end.at, most);
      most = at - apart;
      return { ...end, at };
    })
    .reverse();
}

const SIGN_HEIGHT = 12;

/** What the lines say at an epoch, in words; of many classes those that fare worst. */
export function readAt(shown: Shown, lines: readonly Line[], place: number): string {
  const read = lines.flatMap((entry) => {
    const value = entry.values[place] ?? null;
    return value === null ? [] : [{ name: entry.name, value }];
  });
  if (shown === "rate") return read.map(({ value }) => String(Number(value.toPrecision(2)))).join("");
  if (shown !== "recall") return read.map(({ name, value }) => `${name} ${score(value)}`).join(", ");
  const worst = [...read].sort((a, b) => a.value - b.value).slice(0, WORST);
  return worst.map(({ name, value }) => `${name} ${value.toFixed(2)}`).join(", ");
}

const WORST = 3;
