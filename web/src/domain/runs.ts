/** Runs in words: where they stand, why they ended, and what each changed from the one before. */
import type { AreaOf, Run } from "../api/client";
import { areaFrom, areaWords } from "./area";
import { plural, score } from "./words";

/** The run as somebody named it in the address, or the newest that was judged, or that has kept anything. */
export function newestResult(runs: readonly Run[]): Run | undefined {
  return runs.find((run) => run.validation) ?? runs.find((run) => run.model);
}

export function isUnderWay(run: Run): boolean {
  return run.state !== "ended";
}

/** "Run 3", and what it is called besides. */
export function runTitle(run: Pick<Run, "number" | "name">): string {
  return run.name ? `Run ${run.number}, ${run.name}` : `Run ${run.number}`;
}

/** Its model was learnt here, by itself. */
export function wasTrained(run: Run): boolean {
  return run.ended_by !== "brought" && run.ended_by !== "combined" && run.ended_by !== "pooled";
}

/** One or two words for a row of the Ledger. */
export function stateWords(run: Run): string {
  const { epochs } = run.recipe.settings;
  switch (run.state) {
    case "waiting":
      return "waiting";
    case "training":
      return `epoch ${Math.min(run.epochs_done + 1, epochs)} of ${run.until_epoch ?? epochs}`;
    case "resting":
      return `rests after ${run.epochs_done} of ${epochs}`;
    case "ended":
      if (run.ended_by === "condition") return "ended early";
      if (run.ended_by === "brought") return "brought in";
      if (run.ended_by === "combined") return "together";
      if (run.ended_by === "pooled") return "of folds";
      return run.ended_by === "epochs" ? "done" : (run.ended_by ?? "ended");
  }
}

/** Why a run ended, and what it kept; nothing while it goes on. */
export function endingWords(run: Run): string {
  return run.state === "ended" ? `${causeWords(run)} ${keptWords(run)}` : "";
}

function causeWords(run: Run): string {
  const { done, epochs, what, mend } = run.ending ?? { done: 0, epochs: 0, what: "", mend: "" };
  switch (run.ended_by) {
    case "epochs":
      return run.repeats ? repeatsWords(run.repeats) : `All ${plural(epochs, "epoch")} done.`;
    case "stopped":
      return done
        ? `Stopped by hand in epoch ${done + 1} of ${epochs}.`
        : "Stopped by hand before its first epoch was done.";
    case "failed":
      return `${done ? "Ended by itself" : "Could not begin"}: ${what} ${mend}`.trim();
    case "combined":
      return `${run.ending?.together?.members.length ?? "Several"} models that answer as one; nothing was trained.`;
    case "pooled":
      return `What ${plural(run.ending?.folds ?? 0, "fold")} of a plan answered, each picture by one that had not learnt from it; no one network stands behind it.`;
    case "brought":
      return `Brought in from ${run.ending?.file ?? "a file"}${run.ending?.producer ? `, written by ${run.ending.producer}` : ""}; nothing was trained here.`;
    case "condition":
      return `Ended early, after ${done} of ${plural(epochs, "epoch")}. ${what}`.trim();
    case null:
      return "";
  }
}

/** Why a final training ended where it did. */
export function repeatsWords(repeats: NonNullable<Run["repeats"]>): string {
  return `It took the ${plural(repeats.steps, "step")} of run ${repeats.run} up to the state that was kept there, after epoch ${repeats.until}, at the same rates. No picture was held back, so that no validation score can be told.`;
}

const KEPT: Record<string, (run: Run) => string> = {
  "lowest-validation-loss": (run) => `its validation loss of ${figure(run, "validation_loss")} is the lowest`,
  "highest-validation-accuracy": (run) =>
    `its validation accuracy of ${figure(run, "validation_accuracy")} is the highest`,
  "highest-validation-macro-f1": (run) =>
    `its macro F1 of ${figure(run, "validation_macro_f1")} is the highest`,
  last: () => "it was the last",
};

function figure(run: Run, name: string): string {
  const value = run.figures[name];
  return value === undefined ? "–" : score(value);
}

function keptWords(run: Run): string {
  if (run.ended_by === "brought") {
    const off = run.ending?.difference ?? 0;
    return `It answers as its own graph does: no probability differs by more than ${off.toExponential(1)}.`;
  }
  if (run.ended_by === "combined") return togetherWords(run.ending?.together);
  if (run.ended_by === "pooled") return "";
  if (!run.model) return "No epoch was finished, so nothing is kept.";
  const why = KEPT[run.recipe.settings.keep]?.(run);
  return `Epoch ${run.model.epoch} is kept${why ? `: ${why}` : ""}.`;
}

type Together = NonNullable<NonNullable<Run["ending"]>["together"]>;

/** What models gain by answering together. */
export function togetherWords(found: Together | null | undefined): string {
  if (!found) return "";
  const best = found.members[found.best];
  const signed = (value: number) => `${value >= 0 ? "+" : "−"}${score(Math.abs(value))}`;
  const [low = 0, high = 0] = found.interval;
  const chance = found.chance < 0.01 ? "under 1" : String(Math.round(100 * found.chance));
  const how = found.fitted ? ", each by weights fitted on others" : "";
  return `On ${plural(found.pictures, "picture")} that none of them learnt from${how}: accuracy ${score(found.accuracy)}, ${signed(found.gain)} against run ${best?.number ?? "–"} alone (95 % ${signed(low)} to ${signed(high)}; by chance in ${chance} of 100), loss ${score(found.loss)}.`;
}

type Change = Run["changed"][number];

/** What a run changed from the one before it. */
export function changeWords(run: Run): string {
  if (run.previous === null) return "the first";
  return run.changed.length ? run.changed.map(changeInWords).join(", ") : "nothing";
}

/** A change of one value, as "batch size 32 → 16". */
export function changeInWords({ what, before, after }: Change): string {
  if (what === "pictures") return "pictures, labels or areas";
  if (what === "layers") return "layers of the network";
  const [part] = what.split(".", 2);
  const words = pathWords(what);
  if (part === "start") return `${words} ${startValue(before)} → ${startValue(after)}`;
  if (part === "variation" && (isRecord(before) || isRecord(after))) {
    if (before === null) return `${words} added`;
    return after === null ? `${words} left out` : `${words} otherwise`;
  }
  if (what === AREA) return `${words}: ${areaValue(before)} → ${areaValue(after)}`;
  return `${words} ${valueWords(before)} → ${valueWords(after)}`;
}

/** What a picture from elsewhere gets. */
const AREA = "preprocessing.area";

function areaValue(value: unknown): string {
  return areaWords(areaFrom(value as AreaOf | null | undefined));
}

const STARTS: Record<string, string> = {
  words: "starts from",
  learns: "what learns",
  new_epochs: "epochs for what is new",
  frozen_to: "stays up to",
  rate_factor: "rate of what is taken over",
  moving_statistics: "normalisation learns anew",
  new_statistics: "statistics of these pictures",
};

function startValue(value: unknown): string {
  return value === null || value === undefined || value === "" ? "nothing" : valueWords(value);
}

/** What differs, by its path: "batch size", "turn". */
export function pathWords(what: string): string {
  if (what === "layers") return "layers of the network";
  if (what === "pictures") return "pictures, labels or areas";
  if (what === AREA) return "working area";
  const [part, name] = what.split(".", 2);
  if (part === "start" && name) return STARTS[name] ?? name;
  return (name ?? part ?? what).replaceAll("_", " ").replaceAll("-", " ");
}

/** The value at a path of one of several runs. */
export function comparedValue(what: string, value: unknown): string {
  if (what === AREA) return areaValue(value);
  if (value === null || value === undefined || value === "")
    return what.startsWith("start.") ? "nothing" : "–";
  if (isRecord(value) && !Array.isArray(value)) {
    const parts = Object.entries(value as Record<string, unknown>);
    if (what === "pictures") return parts.map(([, count]) => count).join(" / ");
    return parts.map(([name, part]) => `${name.replaceAll("_", " ")} ${valueWords(part)}`).join(", ");
  }
  return valueWords(value);
}

function isRecord(value: unknown): boolean {
  return typeof value === "object" && value !== null;
}

function valueWords(value: unknown): string {
  if (value === null || value === undefined) return "–";
  if (typeof value === "boolean") return value ? "on" : "off";
  if (Array.isArray(value)) return value.join("/");
  return String(value);
}
