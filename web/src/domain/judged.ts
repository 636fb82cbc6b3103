/** What is said of a judged set beside its scores. */
import type { Judgement } from "../api/client";

/** How the labels of today differ from those that a set was judged by. */
export function labelsWords(today: Judgement): string {
  const parts = [
    today.relabelled ? `${today.relabelled.toLocaleString("en")} relabelled since` : "",
    today.left_out ? `${today.left_out.toLocaleString("en")} taken out or unlabelled since` : "",
  ].filter(Boolean);
  return parts.length ? parts.join(", ") : "labels as they were";
}
