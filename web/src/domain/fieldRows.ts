/** The rows of the picture field: what each stands for, as the server counted them. */
import type { ClassOf, FieldRowOf, SetName } from "../api/client";
import { colourPlace } from "./classColour";
import { FOUND_ROWS } from "./findings";
import { SETS, setWords } from "./words";

export const GROUPS = [
  "class",
  "set",
  "size",
  "day",
  "format",
  "predicted",
  "copies",
  "finding",
  "nothing",
] as const;
export type GroupKey = (typeof GROUPS)[number];

/** Beyond this many times the smallest class, the largest drowns it. */
const MOST_UNEQUAL = 5;

export interface Counts {
  readonly training: number;
  readonly validation: number;
  readonly test: number;
  readonly none: number;
}

export interface FieldRow {
  readonly key: string;
  readonly name: string;
  /** What dropping a picture here labels it; undefined where rows are no labels. */
  readonly classId: number | null | undefined;
  /** Which of the class colours. */
  readonly place: number | undefined;
  readonly sign: string | undefined;
  readonly count: number;
  readonly sets: Counts;
  readonly excluded: number;
  /** Of a row of copies: its classes, and whether all its pictures have the same pixels as another. */
  readonly copies: { readonly classes: readonly ClassOf[]; readonly exact: boolean } | undefined;
}

function fieldRow(
  counted: FieldRowOf,
  key: string,
  name: string,
  entry?: ClassOf,
  classId?: number | null,
): FieldRow {
  const { training, validation, test, excluded, count } = counted;
  const sets = { training, validation, test, none: count - training - validation - test };
  const place = colourPlace(entry);
  return { key, name, classId, place, sign: entry?.sign, count, sets, excluded, copies: undefined };
}

const NO_PICTURES = {
  key: null,
  count: 0,
  training: 0,
  validation: 0,
  test: 0,
  excluded: 0,
  classes: [],
  exact: false,
};

/**
 * Rows of the field as they were counted. By class there is a row for each, unlabelled first; `whole` shows empty ones
 * too, so that pictures can be dropped on them.
 */
export function fieldRows(
  counted: readonly FieldRowOf[],
  classes: readonly ClassOf[],
  group: GroupKey,
  whole: boolean,
): FieldRow[] {
  if (group === "class") {
    const found = new Map(counted.map((row) => [row.key, row]));
    const rows = classes
      .filter((entry) => whole || found.has(String(entry.id)))
      .map((entry) =>
        fieldRow(
          found.get(String(entry.id)) ?? NO_PICTURES,
          `class-${entry.id}`,
          entry.name,
          entry,
          entry.id,
        ),
      );
    const unlabelled = found.get(null);
    if (unlabelled || (whole && !counted.length)) {
      rows.unshift(fieldRow(unlabelled ?? NO_PICTURES, "unlabelled", "unlabelled", undefined, null));
    }
    return rows;
  }
  if (group === "set" && whole && counted.some((row) => row.key !== null)) {
    // A set without pictures has a row too, so that some can be dropped on it.
    const found = new Map(counted.map((row) => [row.key, row]));
    return [...SETS, null].map((set) =>
      fieldRow(found.get(set) ?? NO_PICTURES, `set-${set ?? "none"}`, setWords(set)),
    );
  }
  return counted.map((row) => {
    const key = `${group}-${row.key ?? "none"}`;
    if (group === "predicted") {
      const entry = classes.find((item) => String(item.id) === row.key);
      return fieldRow(row, key, row.key === null ? "not asked" : (entry?.name ?? "a deleted class"), entry);
    }
    if (group === "copies") return copiesRow(row, key, classes);
    if (group === "finding") {
      return fieldRow(row, key, row.key === null ? "nothing found" : (FOUND_ROWS[row.key] ?? row.key));
    }
    if (group === "set") return fieldRow(row, key, setWords(row.key));
    if (group === "nothing") return fieldRow(row, key, "all");
    return fieldRow(row, key, group === "size" ? `${row.key} px` : (row.key ?? "none"));
  });
}

/** The set that a row of sets stands for. */
export function setOfRow(row: FieldRow): SetName | null {
  return SETS.find((set) => row.key === `set-${set}`) ?? null;
}

function copiesRow(counted: FieldRowOf, key: string, classes: readonly ClassOf[]): FieldRow {
  if (counted.key === null) return fieldRow(counted, key, "no copies");
  const own = classes.filter((entry) => counted.classes.includes(entry.id));
  const name = own.length > 1 ? "different labels" : counted.exact ? "the same pixels" : "nearly the same";
  return { ...fieldRow(counted, key, name), copies: { classes: own, exact: counted.exact } };
}

/** How unequal the classes are, where the largest has more than five times the pictures of the smallest. */
export function imbalance(
  rows: readonly FieldRow[],
): { smallest: FieldRow; largest: FieldRow; times: number } | undefined {
  const labelled = rows.filter((row) => typeof row.classId === "number" && row.count > 0);
  const sorted = [...labelled].sort((a, b) => a.count - b.count);
  const [smallest, largest] = [sorted[0], sorted.at(-1)];
  if (!smallest || !largest || largest.count <= MOST_UNEQUAL * smallest.count) return undefined;
  return { smallest, largest, times: largest.count / smallest.count };
}
