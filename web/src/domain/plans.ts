/** Plans of many runs: their words, what is varied, and how their trials stand to each other. */
import type {
  FoldDifference,
  Knob,
  KnobOffer,
  RunPlan,
  RunPlanCreate,
  RunPlanSummary,
  Trial,
} from "../api/client";
import { duration, plural, score } from "./words";

export type PlanKind = RunPlan["kind"];
export type Figure = RunPlan["by"];
export type KnobValue = Knob["values"][number];

export const FIGURES: readonly { value: Figure; words: string }[] = [
  { value: "validation_loss", words: "loss" },
  { value: "validation_accuracy", words: "accuracy" },
  { value: "validation_macro_f1", words: "macro F1" },
];

export const KINDS: readonly { value: PlanKind; label: string; title: string; question: string }[] = [
  {
    value: "trials",
    label: "Which settings",
    title: "Tries combinations of settings and says which was best",
    question: "Which settings",
  },
  {
    value: "folds",
    label: "How sure",
    title: "Trains several times, each time holding other pictures out",
    question: "How sure",
  },
  {
    value: "copies",
    label: "Only luck",
    title: "Trains the same with other seeds",
    question: "Only luck",
  },
];

export function figureWords(by: Figure): string {
  return FIGURES.find((entry) => entry.value === by)?.words ?? by;
}

/** Where a plan stands, in a line. */
export function planStateWords(plan: RunPlanSummary): string {
  const done = `${plan.runs} of ${plan.total} begun`;
  switch (plan.state) {
    case "running":
      return `under way, ${done}`;
    case "paused":
      return `paused, ${done}`;
    case "ended":
      return plan.ended_by === "done" ? "done" : (plan.ended_by ?? "ended");
  }
}

/** What a plan came to, in a line; nothing while it goes on. */
export function outcomeWords(plan: RunPlanSummary): string {
  if (plan.state !== "ended") return "";
  if (plan.value === null || !plan.interval) return plan.ending;
  const known = `${score(plan.value)} (${range(plan.interval)})`;
  switch (plan.kind) {
    case "trials":
      return `trial ${plan.best ?? "–"} was best; on other pictures ${known}`;
    case "folds":
      return `accuracy ${known}`;
    case "copies":
      return `accuracy ${known} by the seed alone`;
  }
}

/** A value as it is read in a table or at a strip. */
export function valueWords(value: KnobValue | undefined): string {
  if (value === undefined) return "–";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "number") return String(Number(value.toPrecision(3)));
  return value;
}

/** What a trial was, in the order of what is varied. */
export function trialValues(plan: RunPlan, trial: Trial): string {
  if (trial.fold) return trial.name;
  const told = plan.space
    .filter((knob) => trial.values[knob.name] !== undefined)
    .map((knob) => `${knob.words.toLowerCase()} ${valueWords(trial.values[knob.name])}`);
  return told.join(", ") || trial.name;
}

/** Why a trial stands where it does. */
export function trialStateWords(trial: Trial): string {
  switch (trial.state) {
    case "waiting":
      return trial.epochs_done ? `goes on to epoch ${trial.until}` : "waits";
    case "training":
      return `epoch ${Math.min(trial.epochs_done + 1, trial.until)} of ${trial.until}`;
    case "resting":
      return `rests after ${trial.epochs_done}`;
    case "ended":
      if (trial.ended_by === "failed") return "failed";
      if (trial.ended_by === "stopped") return "stopped";
      return trial.whole ? plural(trial.epochs_done, "epoch") : `dropped after ${trial.epochs_done}`;
  }
}

/** Where on a strip a value stands, from 0 to 1; undefined of a trial that has none. */
export function placeOf(knob: Knob, value: KnobValue | undefined): number | undefined {
  if (value === undefined) return undefined;
  if (knob.values.length) {
    const at = knob.values.indexOf(value);
    return at < 0 ? undefined : (at + 0.5) / knob.values.length;
  }
  if (typeof value !== "number" || knob.high === knob.low) return 0.5;
  if (knob.by_ratio) return Math.log(value / knob.low) / Math.log(knob.high / knob.low);
  return (value - knob.low) / (knob.high - knob.low);
}

/** The value at a place of a strip, for telling what was chosen there. */
export function valueAt(knob: Knob, place: number): KnobValue {
  const at = Math.min(1, Math.max(0, place));
  if (knob.values.length) {
    const known = knob.values[Math.min(knob.values.length - 1, Math.floor(at * knob.values.length))];
    return known ?? "";
  }
  const value = knob.by_ratio
    ? knob.low * (knob.high / knob.low) ** at
    : knob.low + (knob.high - knob.low) * at;
  return Number(value.toPrecision(3));
}

/** How well each trial did beside the others of its budget: 1 the best, 0 the last; undefined of what has no figure. */
export function shades(plan: RunPlan): Map<number, number> {
  const known = plan.trials.filter((trial) => scoreOf(plan, trial) !== undefined);
  const order = [...known].sort((one, two) => standing(plan, two) - standing(plan, one));
  return new Map(
    order.map((trial, place) => [trial.trial, order.length > 1 ? 1 - place / (order.length - 1) : 1]),
  );
}

/** What it is compared by; the higher the better. */
export function scoreOf(plan: RunPlan, trial: Trial): number | undefined {
  if (trial.value === null || trial.ended_by === "failed") return undefined;
  return plan.rising ? trial.value : -trial.value;
}

/** The further it came, the higher; of equal ones the better. */
function standing(plan: RunPlan, trial: Trial): number {
  const reached = Math.max(-1, ...Object.keys(trial.rungs).map(Number));
  return reached * 1e6 + (scoreOf(plan, trial) ?? 0);
}

/** Parts of strips that are looked at, by the knob's name: from a place to a place. */
export type Ranges = Readonly<Record<string, readonly [number, number]>>;

/** The trials that lie in all ranges. */
export function within(plan: RunPlan, ranges: Ranges): ReadonlySet<number> {
  const asked = plan.space.filter((knob) => ranges[knob.name]);
  const inside = plan.trials.filter((trial) =>
    asked.every((knob) => {
      const [low, high] = ranges[knob.name] ?? [0, 1];
      const place = placeOf(knob, trial.values[knob.name]);
      return place !== undefined && place >= low - 1e-9 && place <= high + 1e-9;
    }),
  );
  return new Set(inside.map((trial) => trial.trial));
}

/** A range in words; of a list its values. */
export function rangeWords(knob: Knob, range: readonly [number, number]): string {
  if (knob.values.length) {
    const inside = knob.values.filter((_, n) => {
      const place = (n + 0.5) / knob.values.length;
      return place >= range[0] && place <= range[1];
    });
    return inside.map(valueWords).join(", ");
  }
  return `${valueWords(valueAt(knob, range[0]))} to ${valueWords(valueAt(knob, range[1]))}`;
}

export type TrialOrder = "trial" | "value" | "state" | "train_s" | "parameters" | `knob:${string}`;

export function sortedTrials(plan: RunPlan, order: TrialOrder, falling: boolean): readonly Trial[] {
  const key = (trial: Trial): number | string | undefined => {
    if (order === "trial") return trial.trial;
    if (order === "value") return scoreOf(plan, trial) === undefined ? undefined : standing(plan, trial);
    if (order === "state") return trial.epochs_done;
    if (order === "train_s") return trial.train_s ?? undefined;
    if (order === "parameters") return trial.parameters || undefined;
    const value = trial.values[order.slice(5)];
    return typeof value === "boolean" ? Number(value) : value;
  };
  return [...plan.trials].sort((one, two) => {
    const [a, b] = [key(one), key(two)];
    if (a === undefined || b === undefined) return a === b ? one.trial - two.trial : a === undefined ? 1 : -1;
    const way = typeof a === "number" && typeof b === "number" ? a - b : String(a).localeCompare(String(b));
    return (falling ? -way : way) || one.trial - two.trial;
  });
}

/** How good the best one is, and how much of that is luck. */
export function bestWords(plan: RunPlan): string {
  const best = plan.trials.find((trial) => trial.trial === plan.best);
  if (!best) return "";
  const what = figureWords(plan.by);
  const sure = best.interval && plan.by === "validation_accuracy" ? ` (95 % ${range(best.interval)})` : "";
  const accuracy = best.figures.validation_accuracy;
  const right =
    plan.by !== "validation_accuracy" && accuracy !== undefined ? `, accuracy ${score(accuracy)}` : "";
  const on = best.count ? ` on ${plural(best.count, "validation picture")}` : "";
  return `${what} ${score(best.value)}${sure}${right}${on}, chosen among ${plural(plan.trials.length, "trial")}.`;
}

export function range([low, high]: readonly [number, number] | readonly number[]): string {
  return `${score(low)} to ${score(high)}`;
}

export function optimismWords(plan: RunPlan): string {
  const found = plan.found?.optimism;
  if (!found) return "";
  const stands = plan.by === "validation_macro_f1" ? "As mean recall, on" : "On";
  return `${stands} pictures by which it was not chosen, what such a choice gives is ${score(found.corrected)} (95 % ${range(found.interval)}).`;
}

/** What a setting carried of the difference, and how far that is to be trusted. */
export function carriedWords(plan: RunPlan, name: string): string {
  if (plan.carried.trials < plan.carried.fewest) return "";
  const found = plan.carried.settings.find((entry) => entry.name === name);
  if (!found) return "";
  const chance = found.chance < 0.001 ? "under 0.001" : found.chance.toPrecision(2);
  return found.chance < 0.05
    ? `${Math.round(100 * found.share)} % of the order, by chance ${chance}`
    : `no more than chance gives (${chance})`;
}

/** Whether something is known of what carried the difference, and at how many trials. */
export function trustWords(plan: RunPlan): string {
  const { trials, fewest, epochs } = plan.carried;
  if (trials < fewest)
    return `Below ${fewest} trials nothing is said of which settings matter; there are ${trials}.`;
  const after = plan.dropping ? ` after ${plural(epochs, "epoch")}, which all of them had` : "";
  const weak = trials < 20 ? " So few find the strongest setting only." : "";
  return `Read from ${trials} trials${after}: each setting beside those that carry more, not how two work together.${weak}`;
}

/** What a plan costs, before it begins. */
export function costWords(cost: RunPlan["cost"]): string {
  const time = cost.seconds === null ? "" : `, about ${duration(cost.seconds)}`;
  return `${plural(cost.trials, "training")}, ${plural(cost.epochs, "epoch")}${time}`;
}

/** How much is left, corrected by how fast it went. */
export function leftWords(plan: RunPlan): string {
  if (plan.state === "ended") return "";
  const left = plan.left_s === null ? "" : `, ${duration(plan.left_s)} left`;
  return `${plan.epochs_done.toLocaleString("en")} of about ${plural(plan.epochs_planned, "epoch")}${left}`;
}

/** What is varied, as it goes over the wire. */
export function knobBody({ words: _, ...knob }: Knob): NonNullable<RunPlanCreate["space"]>[number] {
  return knob;
}

/** A knob to begin with, of something that is offered. */
export function knobOf(offer: KnobOffer): Knob {
  const listed = offer.values.length > 0 || !offer.ranged;
  // There may be a dozen starts; nothing, and the first of the others, is what is asked of most.
  const usual = offer.name === "start" ? offer.values.slice(0, 2) : offer.values;
  return {
    name: offer.name,
    words: offer.words,
    values: listed ? [...usual] : [],
    low: listed ? 0 : offer.low,
    high: listed ? 0 : offer.high,
    by_ratio: !listed && offer.by_ratio,
  };
}

/** The other form of a knob that may have both. */
export function otherForm(knob: Knob, offer: KnobOffer): Knob {
  if (knob.values.length) {
    return { ...knob, values: [], low: offer.low, high: offer.high, by_ratio: offer.by_ratio };
  }
  const usual = offer.values.length ? [...offer.values] : [...new Set([offer.low, offer.high])];
  return { ...knob, values: usual, low: 0, high: 0, by_ratio: false };
}

/** A list as it was typed; undefined where something in it is no value of the kind. */
export function typedValues(text: string, kind: KnobOffer["kind"]): KnobValue[] | undefined {
  const parts = text
    .split(/[;,\s]+/)
    .map((part) => part.trim())
    .filter(Boolean);
  const numbers = parts.map(Number);
  if (!parts.length || numbers.some((value) => !Number.isFinite(value))) return undefined;
  return kind === "whole" && numbers.some((value) => !Number.isInteger(value)) ? undefined : numbers;
}

/** By how much this set-up is better than the one beside it, fold by fold. */
export function besideWords(found: FoldDifference | null): string {
  if (!found) return "";
  const better = found.mean >= 0 ? "better" : "worse";
  const chance = found.chance < 0.01 ? "under 1" : String(Math.round(100 * found.chance));
  const [low, high] = found.interval.map((value) => `${value >= 0 ? "+" : "−"}${score(Math.abs(value))}`);
  return `This one is ${better} by ${score(Math.abs(found.mean))} (95 % ${low} to ${high}); by chance alone as much in ${chance} of 100.`;
}
