/** What is handed over: its proof in words. */
import { plural, score } from "./words";

export interface Proof {
  readonly pictures: number;
  readonly max_abs_difference: number;
  /** Null where answers may differ: how many do is told then. */
  readonly tolerance?: number | null;
  readonly changed?: number;
  readonly pictures_per_s?: number;
  readonly labelled?: number;
  readonly accuracy?: number | null;
  readonly model_accuracy?: number | null;
}

/** What was compared, and how it came out. */
export function proofWords(proof: Proof): string {
  const { tolerance, changed = 0, labelled = 0, accuracy, model_accuracy: own } = proof;
  if (tolerance !== null)
    return `Its program answered like the application on ${plural(proof.pictures, "picture file")}.`;
  const others = `${changed.toLocaleString("en")} of ${plural(proof.pictures, "picture file")} are answered otherwise`;
  if (!labelled || typeof accuracy !== "number" || typeof own !== "number") return `${others}.`;
  return `${others}; ${score(accuracy)} right on ${plural(labelled, "validation picture")}, the model itself ${score(own)}.`;
}

/** How far any probability was off, and how far it may be. */
export function differenceWords({ max_abs_difference: off, tolerance }: Proof): string {
  if (!off) return "Not one probability differs.";
  const most = `The largest difference of any probability is ${off.toExponential(1)}`;
  return typeof tolerance === "number" ? `${most} (allowed ${tolerance.toExponential(0)}).` : `${most}.`;
}

export function speedWords(perSecond: number | undefined): string {
  if (!perSecond) return "";
  return `${perSecond >= 10 ? Math.round(perSecond).toLocaleString("en") : perSecond} pictures a second here`;
}
