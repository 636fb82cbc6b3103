/** The table of training settings at work: which are shown, what follows what, and what is questioned. */
import type { Setting, StartPlan, TrainingSettings } from "../api/client";

export type SettingValue = number | string | boolean;

function valueNow(settings: TrainingSettings, name: string): SettingValue {
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
      (!entry.when || entry.when.values.includes(String(valueNow(settings, entry.when.name)))),
  );
}

/** The value that is offered as things stand. */
export function offered(entry: Setting, settings: TrainingSettings): SettingValue {
  if (!entry.follows) return entry.default;
  return entry.follows.defaults[String(valueNow(settings, entry.follows.name))] ?? entry.default;
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
    (entry) => entry.follows?.name === name && valueNow(settings, entry.name) === offered(entry, settings),
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
}

/** What may be done and is far from usual, to be asked before a start. */
export function doubtsOf(table: readonly Setting[], settings: TrainingSettings): readonly Doubt[] {
  return table.flatMap((entry) => {
    const usual = offered(entry, settings);
    const value = valueNow(settings, entry.name);
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

/** The word that the table has for a choice. */
export function choiceWords(table: readonly Setting[], name: string, value: string): string {
  const entry = table.find((setting) => setting.name === name);
  return entry?.choices.find((choice) => choice.value === value)?.words ?? value;
}
