/** The table of training settings at work: which are shown, what follows what, and what is questioned. */
import type { EndingTrial, Setting, StartPlan, TrainingSettings } from "../api/client";
import { plural } from "./words";

export type SettingValue = number | string | boolean;

/** The value of a setting by its name in the table. */
export function settingNow(settings: TrainingSettings, name: string): SettingValue {
  return (settings as unknown as Record<string, SettingValue>)[name] ?? "";
}

/** Those of a part that have a say as things stand. */
export function shownSettings(
  table: readonly Setting[],
  part: Setting["part"],
  settings: TrainingSettings,
): readonly Setting[] {
  return table.filter(
    (entry) =>
      entry.part === part &&
      (!entry.when || entry.when.values.includes(String(settingNow(settings, entry.when.name)))),
  );
}

/** The value that is offered as things stand. */
export function offered(entry: Setting, settings: TrainingSettings): SettingValue {
  if (!entry.follows) return entry.default;
  return entry.follows.defaults[String(settingNow(settings, entry.follows.name))] ?? entry.default;
}

/** With one setting changed; what follows it goes along, unless a person has set that to something else. */
export function withSetting(
  table: readonly Setting[],
  settings: TrainingSettings,
  name: string,
  value: SettingValue,
): TrainingSettings {
  const changed = { ...settings, [name]: value } as TrainingSettings;
  const followers = table.filter(
    (entry) => entry.follows?.name === name && settingNow(settings, entry.name) === offered(entry, settings),
  );
  const followed = followers.map((entry) => [entry.name, offered(entry, changed)]);
  return { ...changed, ...Object.fromEntries(followed) };
}

/** The name of a doubt about what the training starts from. */
export const START = "start";

export interface Doubt {
  readonly words: string;
  /** What to do instead: the setting and the value that is usual. */
  readonly name: string;
  readonly usual: SettingValue;
  /** What the usual value is called, where it does not speak for itself. */
  readonly called?: string;
}

/** What may be done and is far from usual, to be asked before a start. */
export function doubtsOf(table: readonly Setting[], settings: TrainingSettings): readonly Doubt[] {
  return table.flatMap((entry) => {
    const usual = offered(entry, settings);
    const value = settingNow(settings, entry.name);
    if (!entry.far || typeof usual !== "number" || typeof value !== "number") return [];
    const times = value > usual ? value / usual : usual / value;
    if (Number(times.toFixed(6)) <= entry.far) return [];
    const than = value > usual ? "more" : "less";
    const words = `A ${entry.words.toLowerCase()} of ${value} is ${Math.round(times)} times ${than} than the usual ${usual}.`;
    return [{ words, name: entry.name, usual }];
  });
}

/** What works against that which a model has learnt. */
export function startDoubts(plan: StartPlan | undefined): readonly Doubt[] {
  return (plan?.doubts ?? []).map((words) => ({ words, name: START, usual: "the model's preprocessing" }));
}

/** An early end that never comes, or always. */
export function endingDoubts(trial: EndingTrial | undefined): readonly Doubt[] {
  return (trial?.doubts ?? []).flatMap((words) =>
    ["end_when", "reach"].map((name) => ({ words, name, usual: "none", called: "all epochs" })),
  );
}

/** Whether any figure can end the training before all its epochs. */
export function mayEndEarly(settings: TrainingSettings): boolean {
  return settings.end_when !== "none" || settings.reach !== "none";
}

/** By what it may end before all its epochs, in a few words. */
export function endingShort(table: readonly Setting[], settings: TrainingSettings): string {
  return [
    settings.end_when === "none"
      ? ""
      : `without progress of ${choiceWords(table, "end_when", settings.end_when)}`,
    settings.reach === "none"
      ? ""
      : `at a ${choiceWords(table, "reach", settings.reach)} of ${settings.reach_value}`,
    settings.time_limit ? `after ${plural(settings.time_limit, "minute")}` : "",
  ]
    .filter(Boolean)
    .join(" or ");
}

/** As many epochs as fit into some minutes, at least one. */
export function epochsWithin(minutes: number, epochSeconds: number): number {
  return Math.max(1, Math.min(10_000, Math.floor((60 * minutes) / epochSeconds)));
}

/** What the last runs would have done under these conditions. */
export function trialWords(trial: EndingTrial): string {
  const ended = trial.runs.filter((run) => run.epoch !== null);
  if (!trial.runs.length) return "No run has trained all its epochs yet, so this cannot be tried.";
  if (!ended.length) return `It would have ended none of the last ${plural(trial.runs.length, "run")} early.`;
  const told = ended.map((run) => `run ${run.number} in epoch ${run.epoch} of ${run.epochs}`);
  return `Of the last ${plural(trial.runs.length, "run")} it would have been met by ${told.join(", ")}.`;
}

/** The word that the table has for a choice. */
export function choiceWords(table: readonly Setting[], name: string, value: string): string {
  const entry = table.find((setting) => setting.name === name);
  return entry?.choices.find((choice) => choice.value === value)?.words ?? value;
}
