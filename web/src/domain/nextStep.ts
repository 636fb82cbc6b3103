/** In a project with no result yet: the next useful thing to do, said wherever somebody looks for one. */
import type { ImportEntry, Job, Run } from "../api/client";
import { isActive } from "./jobs";
import { isUnderWay } from "./runs";
import { plural } from "./words";

export interface NextStep {
  readonly text: string;
  /** What is pressed to do it; nothing while there is only to wait. */
  readonly action: string;
  /** Below the project's address. */
  readonly to: string;
  /** Said in its place to whoever is there already. */
  readonly here: string;
}

export interface Standing {
  readonly pictures: number;
  /** Pictures of each class. */
  readonly classes: readonly number[];
  readonly runs: readonly Run[];
  readonly imports: readonly ImportEntry[];
  readonly jobs: readonly Job[];
}

/** What brings pictures in by itself. */
const ARRIVING = new Set<Job["kind"]>(["import", "read", "sample", "duplicate", "bring_back"]);

export function nextStep(standing: Standing): NextStep {
  const { pictures, runs, imports, jobs } = standing;
  const planned = imports.find((entry) => entry.state === "planned" && entry.pictures > 0);
  const arriving = jobs.find((job) => ARRIVING.has(job.kind) && isActive(job));
  if (runs.some(isUnderWay)) {
    const text = "The first run is under way; its result shows here when it ends.";
    return { text, action: "Watch it", to: "runs", here: "" };
  }
  if (arriving && !pictures) {
    const text = `${arriving.title}: under way; rows fill as pictures come.`;
    return { text, action: "", to: "rows", here: "" };
  }
  if (planned && !pictures) {
    const text = `${planned.source_name} was read and waits for your decision.`;
    return {
      text,
      action: "See what was understood",
      to: `rows/bring-in/${planned.id}`,
      here: "Look through the classes, then bring them in.",
    };
  }
  if (!pictures)
    return {
      text: "No pictures yet.",
      action: "Bring pictures in",
      to: "rows/bring-in",
      here: "Choose a folder, a zip or files, or drop them on this page.",
    };
  return runs[0] ? afterARun(runs[0]) : beforeARun(standing);
}

function beforeARun({ pictures, classes }: Standing): NextStep {
  const used = classes.filter((count) => count > 0);
  const unlabelled = pictures - used.reduce((sum, count) => sum + count, 0);
  if (used.length < 2) {
    const missing = used.length ? "All labelled pictures are of one class" : "No picture has a class yet";
    return {
      text: `${missing}; a network tells at least two apart. Choose pictures and press L to say what they show.`,
      action: unlabelled ? `See the ${plural(unlabelled, "unlabelled picture")}` : "See the pictures",
      to: unlabelled ? "rows?sift=unlabelled" : "rows",
      here: "",
    };
  }
  return {
    text: `${plural(pictures, "picture")} in ${plural(used.length, "class", "classes")} are here, and what is set is sound.`,
    action: "Train a first network",
    to: "runs",
    here: "Press Train.",
  };
}

/** It ended, and left no result. */
function afterARun(run: Run): NextStep {
  if (run.model && !run.validation)
    return {
      text: `Run ${run.number} has ended and is being judged.`,
      action: "Watch it",
      to: "runs",
      here: "",
    };
  return {
    text: `Run ${run.number} ended before it had a result.`,
    action: run.ended_by === "failed" ? "See what mends it" : "Train again",
    to: "runs",
    here: "Press Train to try again.",
  };
}
