/** A network's list of layers and blocks as a person writes it: where a line stands, and what can be done with it. */

import type { Recipe } from "../api/client";

export interface Part {
  readonly id?: string;
  readonly kind: string;
  readonly inputs?: readonly string[];
  /** Of a repeated stretch. */
  readonly layers?: readonly Part[];
  readonly [setting: string]: unknown;
}

/** What a network is to learn from, as far as that has a say in what it comes to. */
export interface Lesson {
  readonly size: number;
  readonly channels: number;
  readonly batch_size: number;
  readonly pictures: number;
  readonly validation: number;
  readonly operations: number;
}

/** The lesson of a recipe on the pictures of its sets, as far as these are known. */
export function lessonOf(
  recipe: Pick<Recipe, "preprocessing" | "settings" | "variation">,
  sets?: { readonly training: number; readonly validation: number },
): Lesson {
  return {
    size: recipe.preprocessing.size,
    channels: recipe.preprocessing.colour === "rgb" ? 3 : 1,
    batch_size: recipe.settings.batch_size,
    pictures: sets?.training ?? 0,
    validation: sets?.validation ?? 0,
    operations: recipe.variation.operations.length,
  };
}

/** A place in the list, and within a repeated stretch the place there, from 0. */
export type Line = readonly number[];

export interface Row {
  readonly line: Line;
  readonly part: Part;
}

const WORDS: Record<string, string> = {
  conv: "convolution",
  depthwise_conv: "depthwise convolution",
  batch_norm: "batch normalisation",
  relu: "ReLU",
  leaky_relu: "leaky ReLU",
  clipped_relu: "clipped ReLU",
  silu: "SiLU",
  conv_block: "convolution block",
  repeat: "repeated stretch",
};

export function kindWords(kind: string): string {
  return WORDS[kind] ?? kind.replaceAll("_", " ");
}

export function sameLine(one: Line | null | undefined, two: Line | null | undefined): boolean {
  return !!one && !!two && one.length === two.length && one.every((place, n) => place === two[n]);
}

/** Every line in the order in which it is read, those of a stretch behind it. */
export function rowsOf(parts: readonly Part[], above: Line = []): Row[] {
  return parts.flatMap((part, place) => {
    const line = [...above, place];
    return [{ line, part }, ...(part.layers ? rowsOf(part.layers, line) : [])];
  });
}

export function partAt(parts: readonly Part[], line: Line): Part | undefined {
  const [place = 0, ...rest] = line;
  const part = parts[place];
  return rest.length ? part?.layers && partAt(part.layers, rest) : part;
}

/** The list in which other parts stand in the place of one. */
export function replaced(parts: readonly Part[], line: Line, by: readonly Part[]): Part[] {
  const [place = 0, ...rest] = line;
  const part = parts[place];
  const own = rest.length && part?.layers ? [{ ...part, layers: replaced(part.layers, rest, by) }] : by;
  return [...parts.slice(0, place), ...own, ...parts.slice(place + 1)];
}

/** The line that gives a value for each class stays where it is. */
export function isEnd(parts: readonly Part[], line: Line): boolean {
  const last = parts[parts.length - 1];
  return (
    line.length === 1 && line[0] === parts.length - 1 && (last?.kind === "head" || last?.kind === "dense")
  );
}

/** A new part behind a line, but before the end; in an empty stretch as its first. And where it stands then. */
export function putIn(
  parts: readonly Part[],
  line: Line | undefined,
  part: Part,
): { parts: Part[]; line: Line } {
  const at = line && partAt(parts, line);
  if (!line || !at) return { parts: [part, ...parts], line: [0] };
  if (at.layers && at.layers.length === 0)
    return { parts: replaced(parts, line, [{ ...at, layers: [part] }]), line: [...line, 0] };
  if (isEnd(parts, line)) return { parts: replaced(parts, line, [part, at]), line };
  const next = [...line.slice(0, -1), (line[line.length - 1] ?? 0) + 1];
  return { parts: replaced(parts, line, [at, part]), line: next };
}

/** The same once more behind it, with ids of its own. */
export function duplicated(parts: readonly Part[], line: Line): { parts: Part[]; line: Line } | undefined {
  const part = partAt(parts, line);
  return part && !isEnd(parts, line) ? putIn(parts, line, nameless(part)) : undefined;
}

function nameless({ id: _, ...part }: Part): Part {
  return { ...part, ...(part.layers ? { layers: part.layers.map(nameless) } : {}), kind: part.kind };
}

export function takenOut(parts: readonly Part[], line: Line): { parts: Part[]; line: Line } | undefined {
  if (!partAt(parts, line) || isEnd(parts, line)) return undefined;
  const left = replaced(parts, line, []);
  const last = line[line.length - 1] ?? 0;
  const above = line.slice(0, -1);
  if (partAt(left, line)) return { parts: left, line };
  return { parts: left, line: last ? [...above, last - 1] : above.length ? above : [0] };
}

/** One place up or down among its neighbours; the end stays last. */
export function moved(
  parts: readonly Part[],
  line: Line,
  by: 1 | -1,
): { parts: Part[]; line: Line } | undefined {
  const to = [...line.slice(0, -1), (line[line.length - 1] ?? 0) + by];
  const part = partAt(parts, line);
  const other = (to[to.length - 1] ?? 0) < 0 ? undefined : partAt(parts, to);
  if (!part || !other || isEnd(parts, line) || isEnd(parts, to)) return undefined;
  return { parts: replaced(replaced(parts, line, [other]), to, [part]), line: to };
}

/** A line as a stretch that is repeated; a stretch one time more. */
export function repeatedOnce(parts: readonly Part[], line: Line): { parts: Part[]; line: Line } | undefined {
  const part = partAt(parts, line);
  if (!part || isEnd(parts, line) || line.length > 2) return undefined;
  if (part.layers)
    return { parts: replaced(parts, line, [{ ...part, times: Number(part.times) + 1 }]), line };
  const { inputs: _, ...plain } = part;
  return { parts: replaced(parts, line, [{ kind: "repeat", times: 2, layers: [plain as Part] }]), line };
}

/** The line before drawn into a stretch, as its first; the way in which a stretch grows upwards. */
export function drawnIn(parts: readonly Part[], line: Line): { parts: Part[]; line: Line } | undefined {
  const stretch = partAt(parts, line);
  const before = [...line.slice(0, -1), (line[line.length - 1] ?? 0) - 1];
  const part = (before[before.length - 1] ?? -1) < 0 ? undefined : partAt(parts, before);
  if (!stretch?.layers || !part || part.layers) return undefined;
  const grown = replaced(parts, line, [{ ...stretch, layers: [part, ...stretch.layers] }]);
  return { parts: replaced(grown, before, []), line: before };
}

/** How a version of a kept network is called in a recipe. */
export function versionName(entry: { name: string; version: number }): string {
  return `${entry.name}, version ${entry.version}`;
}

/** A name that is free, from one that is not. */
export function freeName(wanted: string, taken: readonly string[]): string {
  const known = new Set(taken.map((name) => name.toLowerCase()));
  for (let number = 1; ; number++) {
    const name = number === 1 ? wanted : `${wanted} ${number}`;
    if (!known.has(name.toLowerCase())) return name;
  }
}
