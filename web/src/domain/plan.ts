/** A reading plan in words, and what a person may change of it. */
import type { Choice, Plan, PlannedClass, Survey } from "../api/client";
import { bytes, plural } from "./words";

export const PLACEHOLDER_HELP = [
  ["{class}", "the class"],
  ["{number}", "digits"],
  ["{set}", "train, val, test"],
  ["{group}", "what belongs together"],
  ["{any}", "anything"],
] as const;

/** What a column of a table can be used for, with the words that ask for it. */
export const COLUMN_ROLES = [
  { role: "path", label: "File", needed: true },
  { role: "label", label: "Class", needed: false },
  { role: "set", label: "Set", needed: false },
  { role: "group", label: "Belongs together", needed: false },
  { role: "note", label: "Note", needed: false },
] as const;

export const EVERYTHING: Choice = {
  read_as: "folders",
  pattern: "",
  class_name: "",
  table: "",
  columns: {},
  renamed: {},
  part: null,
  without_classes: [],
  without_folders: [],
};

export function readingWords(choice: Choice): string {
  switch (choice.read_as) {
    case "folders":
      return "a folder for each class";
    case "inner_folders":
      return "the innermost folders";
    case "pattern":
      return `the file names, as ${choice.pattern}`;
    case "table":
      return `the table ${choice.table}`;
    case "one_class":
      return "one class for all";
    case "unlabelled":
      return "nowhere: no labels";
  }
}

/** Two choices that read alike; what was renamed or how much is taken is another matter. */
export function sameReading(a: Choice, b: Choice): boolean {
  if (a.read_as !== b.read_as) return false;
  if (a.read_as === "pattern") return a.pattern === b.pattern;
  if (a.read_as === "table") return a.table === b.table;
  return true;
}

/** What will happen, main thing first. */
export function planWords(plan: Plan): string {
  const parts = [`${plural(plan.new, "new picture")}`];
  if (plan.known) parts.push(`${plan.known.toLocaleString("en")} here already`);
  if (plan.repeated) parts.push(`${plan.repeated.toLocaleString("en")} repeated`);
  if (plan.left_out) parts.push(`${plan.left_out.toLocaleString("en")} left out for now`);
  return parts.join(", ");
}

/** What the files are, for someone who wonders whether all of it was understood. */
export function contentWords(survey: Survey): string {
  const formats = Object.entries(survey.formats).map(
    ([name, count]) => `${count.toLocaleString("en")} ${name}`,
  );
  const traits = Object.entries(survey.traits).map(
    ([name, count]) => `${count.toLocaleString("en")} ${name}`,
  );
  const [smallWidth, smallHeight] = survey.smallest;
  const [largeWidth, largeHeight] = survey.largest;
  const sizes = survey.pictures
    ? `${smallWidth} × ${smallHeight} to ${largeWidth} × ${largeHeight} pixels`
    : "";
  return [formats.join(", "), traits.join(", "), sizes, bytes(survey.bytes)].filter(Boolean).join("; ");
}

/** Give what was read under some names another one; its own name again means that nothing is changed. */
export function renameIn(choice: Choice, readAs: readonly string[], name: string): Choice {
  const renamed = { ...choice.renamed };
  for (const read of readAs) {
    if (read === name) delete renamed[read];
    else renamed[read] = name;
  }
  return { ...choice, renamed };
}

/** Put every class back under the name that it was read by. */
export function separate(choice: Choice, readAs: readonly string[]): Choice {
  return {
    ...choice,
    renamed: Object.fromEntries(Object.entries(choice.renamed).filter(([read]) => !readAs.includes(read))),
  };
}

/** Leave what was read under some names out for now, or take it again. */
export function withClass(choice: Choice, readAs: readonly string[], taken: boolean): Choice {
  const others = (choice.without_classes ?? []).filter((name) => !readAs.includes(name));
  return { ...choice, without_classes: taken ? others : [...others, ...readAs] };
}

/** Leave a folder with all that lies in it out for now, or take it again. */
export function withFolder(choice: Choice, path: string, taken: boolean): Choice {
  const others = (choice.without_folders ?? []).filter((entry) => entry !== path);
  return { ...choice, without_folders: taken ? others : [...others, path] };
}

/** Whether a folder is left out, by itself or with one that it lies in. */
export function isFolderOut(choice: Choice, path: string): boolean {
  return (choice.without_folders ?? []).some((out) => path === out || path.startsWith(`${out}/`));
}

/** The names that a class of the plan was read by; of what has none, the empty one. */
export function namesRead(entry: PlannedClass): readonly string[] {
  return entry.read_as.length ? entry.read_as : [""];
}

export function isClassOut(choice: Choice, entry: PlannedClass): boolean {
  return namesRead(entry).every((name) => (choice.without_classes ?? []).includes(name));
}

export function classWords(entry: PlannedClass): string {
  const parts: string[] = [];
  if (entry.in_project !== null) parts.push(`joins ${plural(entry.in_project, "picture")} here`);
  if (entry.known) parts.push(`${entry.known} here already`);
  if (entry.chosen < entry.files) parts.push(`${(entry.files - entry.chosen).toLocaleString("en")} left out`);
  return parts.join(", ");
}

/** Counts by set as the set bar wants them. */
export function plannedSets(
  entry: PlannedClass,
): Record<"training" | "validation" | "test" | "none", number> {
  return {
    training: entry.sets.training ?? 0,
    validation: entry.sets.validation ?? 0,
    test: entry.sets.test ?? 0,
    none: entry.sets.none ?? 0,
  };
}
