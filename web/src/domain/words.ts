/** Numbers and times as people read them. */
import type { SetName } from "../api/client";

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString("en")} ${count === 1 ? one : many}`;
}

/** A share with three digits after the point, as the trade writes scores. */
export function score(value: number | null | undefined): string {
  return value === null || value === undefined ? "–" : value.toFixed(3);
}

/** A probability with two digits; never rounded up to a certainty that it is not. */
export function probability(value: number): string {
  if (value > 0.995 && value < 1) return ">0.99";
  if (value < 0.005 && value > 0) return "<0.01";
  return value.toFixed(2);
}

/** A moment of the records as people read it. */
export function moment(text: string): string {
  return new Date(text).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}

export function percent(part: number, whole: number): string {
  return whole ? `${Math.round((100 * part) / whole)} %` : "–";
}

/** A time in seconds, as coarse as it is uncertain. */
export function duration(seconds: number): string {
  if (seconds < 1) return "under 1 s";
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

/** A time far below a second. */
export function milliseconds(seconds: number): string {
  const ms = seconds * 1000;
  return ms < 0.95 ? "under 1 ms" : `${ms.toFixed(ms < 9.5 ? 1 : 0)} ms`;
}

export function bytes(count: number): string {
  if (count < 1024) return `${count} B`;
  if (count < 1024 * 1024) return `${(count / 1024).toFixed(0)} KB`;
  if (count < 1024 ** 3) return `${(count / 1024 / 1024).toFixed(1)} MB`;
  return `${(count / 1024 ** 3).toFixed(1)} GB`;
}

export const SETS = ["training", "validation", "test"] as const satisfies readonly SetName[];

/** A set by its name; null is no set, and what a model was asked of it is judged as "outside". */
export function setWords(name: string | null): string {
  return name === null || name === "outside" ? "in no set" : name;
}

/** 1st, 2nd, 3rd, 4th … */
export function ordinal(place: number): string {
  const last = place % 100 > 10 && place % 100 < 14 ? 0 : place % 10;
  return `${place}${["th", "st", "nd", "rd"][last] ?? "th"}`;
}
