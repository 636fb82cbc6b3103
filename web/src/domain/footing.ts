/** The sentence under the places: what the result on show stands on, and what has changed since. */
import type { Footing, Run } from "../api/client";
import { areaFrom, areaWords } from "./area";
import { plural, score } from "./words";

export interface FootingPart {
  readonly text: string;
  readonly opens: "review" | "runs" | "rows" | "rows/area";
  /** Only what has changed since is marked. */
  readonly changed: boolean;
}

export function footingParts(run: Run, footing: Footing | undefined): FootingPart[] {
  const judged = run.validation;
  const parts: FootingPart[] = [];
  if (judged) {
    parts.push({
      text: `${score(judged.accuracy)} on ${plural(judged.count, "validation picture")}`,
      opens: "review",
      changed: false,
    });
  }
  parts.push({ text: `run ${run.number} on split ${run.split_number}`, opens: "runs", changed: false });
  const { start } = run.recipe;
  if (start) {
    const whose = start.new_statistics ? "with statistics of these pictures" : "with its statistics";
    parts.push({ text: `from ${start.words}, ${whose}`, opens: "runs", changed: false });
  }
  if (!footing) return parts;
  parts.push({ text: `of ${plural(footing.pictures, "picture")}`, opens: "rows", changed: false });
  const { area } = run.recipe.preprocessing;
  // Said where pictures do not count whole, or not any more.
  if (area || footing.fresh_changed) {
    parts.push({
      text: `a new picture ${area ? `gets ${areaWords(areaFrom(area))}` : "counts whole"}${footing.fresh_changed ? ", changed since" : ""}`,
      opens: "rows/area",
      changed: footing.fresh_changed,
    });
  }
  const since: [number, string][] = [
    [footing.labels_changed, `${plural(footing.labels_changed, "label")} changed since`],
    [footing.pictures_added, `${plural(footing.pictures_added, "picture")} brought in since`],
    [footing.pictures_gone, `${plural(footing.pictures_gone, "picture")} gone since`],
    [footing.areas_changed, `${plural(footing.areas_changed, "working area")} changed since`],
    [footing.classes_renamed, `${plural(footing.classes_renamed, "class", "classes")} renamed since`],
  ];
  for (const [count, text] of since) if (count) parts.push({ text, opens: "rows", changed: true });
  return parts;
}
