/** A network file that comes in: what it is in words, and its classes beside the project's. */
import { plural } from "./words";

export interface NetworkFileFacts {
  readonly producer: string;
  readonly opset: number;
  readonly size: number;
  readonly channels: number;
  readonly outputs: number;
  readonly softmax: boolean;
  readonly parameters: number;
}

export function factsWords(facts: NetworkFileFacts): string {
  const from = facts.producer
    ? `Written by ${facts.producer}, opset ${facts.opset}.`
    : `Opset ${facts.opset}.`;
  const colour = facts.channels === 3 ? "colour" : "grey";
  const size = facts.size ? `${facts.size} × ${facts.size} pixels` : "any size";
  const takes = ` It takes ${colour} pictures of ${size}`;
  if (!facts.outputs) return `${from}${takes}.`;
  const end = facts.softmax
    ? "ends with a softmax, which is taken off and put behind again"
    : "ends with plain numbers, which a softmax is put behind";
  const many = facts.parameters ? ` ${plural(facts.parameters, "parameter")}.` : "";
  return `${from}${takes}, tells ${plural(facts.outputs, "class", "classes")} apart, and ${end}.${many}`;
}

/** So many numbers of a text that parts them by commas or spaces; undefined where they are others. */
export function numbersOf(text: string, count: number): number[] | undefined {
  const parts = text.split(/[\s,;]+/).filter(Boolean);
  const numbers = parts.map(Number);
  return parts.length === count && numbers.every(Number.isFinite) ? numbers : undefined;
}

/** Names for all outputs, as far as they are known: typed here, said by the file, or the project's where it has as many. */
export function firstNames(
  outputs: number,
  said: readonly string[],
  project: readonly { readonly name: string }[],
): string[] {
  if (said.length === outputs) return [...said];
  if (project.length === outputs) return project.map((entry) => entry.name);
  return Array.from({ length: outputs }, () => "");
}

/** What is wrong with the names, or "". */
export function namesMistake(names: readonly string[]): string {
  const folded = names.map((name) => name.trim().toLowerCase());
  if (folded.some((name) => !name)) return "Name a class for each output.";
  return new Set(folded).size < folded.length ? "Two outputs have the same class." : "";
}

/** What becomes of an output: the project's class, or a new one. */
export function becomes(name: string, project: readonly { readonly name: string }[]): string {
  if (!name.trim()) return "";
  const found = project.find((entry) => entry.name.toLowerCase() === name.trim().toLowerCase());
  return found ? "this project's class" : "a new class";
}

/** Whether it answers as its own graph does. */
export function comparedWords(difference: number, compared: number, tolerance: number): string {
  const how = `the largest difference of any probability on ${plural(compared, "picture")} is ${difference.toExponential(1)}`;
  return difference <= tolerance
    ? `It answers as its own graph does in an independent runtime: ${how} (allowed ${tolerance.toExponential(0)}).`
    : `It answers otherwise than its own graph: ${how}, and ${tolerance.toExponential(0)} is allowed. It is not brought in.`;
}
