/** The ways to read classes that a person can choose from. */
import type { Choice, Survey } from "../api/client";
import { readingWords, sameReading } from "./plan";
import { plural } from "./words";

export interface Offer {
  readonly choice: Choice;
  readonly words: string;
  readonly found: string;
}

/** What was tried, likeliest first, then what a person can always choose. */
export function offers(survey: Survey, chosen: Choice): Offer[] {
  // Classes are called otherwise by another reading; folders and how much is taken stay as they were chosen.
  const bare = {
    renamed: {},
    without_classes: [],
    part: chosen.part,
    without_folders: chosen.without_folders ?? [],
  };
  const found: Offer[] = survey.readings.map((tried) => ({
    choice: { ...(tried.choice as Choice), ...bare },
    words: readingWords(tried.choice as Choice),
    found: tried.classes
      ? `${plural(tried.classes, "class", "classes")}, ${tried.labelled.toLocaleString("en")} labelled`
      : "",
  }));
  const add = (choice: Choice, words: string, note: string) => {
    const kind = (entry: Offer) =>
      choice.read_as === "table"
        ? entry.choice.table === choice.table
        : entry.choice.read_as === choice.read_as;
    if (!found.some(kind)) found.push({ choice, words, found: note });
  };
  const empty: Choice = {
    ...chosen,
    ...bare,
    read_as: "unlabelled",
    pattern: "",
    class_name: "",
    table: "",
    columns: {},
  };
  for (const table of survey.tables) {
    const columns: Record<string, string> = table.columns[0] ? { path: table.columns[0] } : {};
    add(
      { ...empty, read_as: "table", table: table.path, columns },
      `the table ${table.path}`,
      table.error ?? "names none of the files",
    );
  }
  add({ ...empty, read_as: "folders" }, "a folder for each class", "no class found");
  add({ ...empty, read_as: "pattern", pattern: "{class}_{number}" }, "the file names, by a pattern", "");
  add({ ...empty, read_as: "one_class", class_name: "new class" }, "one class for all", "");
  return found;
}

/** Which of the offers a choice is, or -1; patterns and names for all are one offer whatever is typed. */
export function offerOf(listed: readonly Offer[], choice: Choice): number {
  const typed = choice.read_as === "pattern" || choice.read_as === "one_class";
  return listed.findIndex(({ choice: offered }) =>
    typed ? offered.read_as === choice.read_as : sameReading(offered, choice),
  );
}
