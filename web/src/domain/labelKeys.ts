/** What a key says of a label, wherever pictures are mended: the first nine classes, none, or ask for a name. */
import type { ClassOf } from "../api/client";

export type LabelKey = { kind: "label"; classId: number | null } | { kind: "ask" } | undefined;

export function labelKey(key: string, classes: readonly ClassOf[]): LabelKey {
  if (key === "0") return { kind: "label", classId: null };
  if (key.toLowerCase() === "l") return { kind: "ask" };
  const entry = /^[1-9]$/.test(key) ? classes[Number(key) - 1] : undefined;
  return entry && { kind: "label", classId: entry.id };
}
