/** Many tried pictures: by what the model says of each, beside the classes that their folders or names say. */
import { answerSentence, type Ranked, ranked } from "./ranking";

/** What was answered for one file. */
export interface TriedFile {
  readonly key: string;
  /** As it was dropped or chosen, with the folders it lay in. */
  readonly path: string;
  /** The class that a table or a person says. */
  readonly truth?: string | undefined;
  readonly answer: {
    readonly error: string | null;
    readonly probabilities: readonly number[];
    readonly calibrated: readonly number[];
    readonly seconds: number | null;
  };
}

export interface Sorted<T extends TriedFile> {
  readonly tried: T;
  readonly order: readonly Ranked[];
  readonly unsure: boolean;
  /** The class that a person, a table, a folder or the name says; undefined where none does. */
  readonly truth: string | undefined;
}

export interface Asked {
  readonly names: readonly string[];
  readonly calibrated: boolean;
  readonly thresholdFor: (place: number) => number;
}

/** The nearest folder above a file that is called like a class, or else the class that its name begins with. */
export function truthOf(path: string, names: readonly string[]): string | undefined {
  const folders = path.split("/").slice(0, -1).reverse();
  for (const folder of folders) {
    const found = names.find((name) => name.toLowerCase() === folder.trim().toLowerCase());
    if (found) return found;
  }
  const own = (path.split("/").pop() ?? "").toLowerCase();
  // The longest that fits, since "plate-thick_1" is no "plate"; a letter behind it makes it another word.
  return names
    .filter((name) => own.startsWith(name.toLowerCase()) && !/^\p{L}/u.test(own.slice(name.length)))
    .sort((one, other) => other.length - one.length)[0];
}

/** What a model says of one file: its classes by probability, under which the first is "unsure", and the sentence. */
export function spoken(answer: TriedFile["answer"], { names, calibrated, thresholdFor }: Asked) {
  const order = ranked(names, calibrated ? answer.calibrated : answer.probabilities);
  const threshold = thresholdFor(order[0]?.place ?? 0);
  return { order, threshold, ...answerSentence(order, threshold) };
}

/** Those that could be read, with what is said of each. */
export function sortedOut<T extends TriedFile>(tried: readonly T[], asked: Asked): Sorted<T>[] {
  return tried
    .filter((entry) => !entry.answer.error)
    .map((entry) => {
      const { order, unsure } = spoken(entry.answer, asked);
      return { tried: entry, order, unsure, truth: entry.truth ?? truthOf(entry.path, asked.names) };
    });
}

export interface AnswerRow<T extends TriedFile> {
  /** Undefined: the model is unsure. */
  readonly name: string | undefined;
  /** The least probable first: what is likeliest wrong. */
  readonly entries: readonly Sorted<T>[];
}

/** A row for each answer, in the order of the classes; what it is unsure of comes first. */
export function rowsByAnswer<T extends TriedFile>(
  sorted: readonly Sorted<T>[],
  names: readonly string[],
): AnswerRow<T>[] {
  const keys: (string | undefined)[] = [undefined, ...names];
  return keys
    .map((name) => ({
      name,
      entries: sorted
        .filter((entry) => (entry.unsure ? undefined : entry.order[0]?.name) === name)
        .sort((one, other) => (one.order[0]?.p ?? 0) - (other.order[0]?.p ?? 0)),
    }))
    .filter((row) => row.entries.length);
}

export function isWrong<T extends TriedFile>({ truth, order }: Sorted<T>): boolean {
  return truth !== undefined && truth !== order[0]?.name;
}

/** How many have a known class, and of how many of these the likeliest answer is right. */
export function countRight<T extends TriedFile>(
  sorted: readonly Sorted<T>[],
): {
  known: number;
  right: number;
} {
  const known = sorted.filter((entry) => entry.truth !== undefined);
  return { known: known.length, right: known.filter((entry) => !isWrong(entry)).length };
}

const HEAD = ["file", "true", "answer", "p", "runner_up", "runner_up_p", "unsure", "seconds", "error"];

/** A cell that no program for tables takes for a formula. */
function cell(value: string | number): string {
  const plain = typeof value === "string" && /^[=+\-@\t\r]/.test(value) ? `'${value}` : String(value);
  return /[",\n\r]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
}

export function answersAsCsv<T extends TriedFile>(tried: readonly T[], asked: Asked): string {
  const byKey = new Map(sortedOut(tried, asked).map((entry) => [entry.tried.key, entry]));
  const lines = tried.map((entry) => {
    const found = byKey.get(entry.key);
    const [first, second] = found?.order ?? [];
    return [
      entry.path,
      found?.truth ?? "",
      first?.name ?? "",
      first?.p.toFixed(6) ?? "",
      second?.name ?? "",
      second?.p.toFixed(6) ?? "",
      found ? (found.unsure ? "yes" : "no") : "",
      entry.answer.seconds?.toFixed(4) ?? "",
      entry.answer.error ?? "",
    ];
  });
  return `${[HEAD, ...lines].map((line) => line.map(cell).join(",")).join("\n")}\n`;
}
