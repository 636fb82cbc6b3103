import { describe, expect, it } from "vitest";
import type { Plan, PlannedClass, Survey } from "../src/api/client";
import {
  classWords,
  contentWords,
  EVERYTHING,
  isClassOut,
  isFolderOut,
  namesRead,
  plannedSets,
  planWords,
  readingWords,
  renameIn,
  sameReading,
  separate,
  withClass,
  withFolder,
} from "../src/domain/plan";

const PLATE: PlannedClass = {
  name: "plate",
  read_as: ["plate"],
  files: 10,
  chosen: 10,
  known: 0,
  repeated: 0,
  sets: { training: 7, none: 3 },
  samples: [],
  in_project: null,
};

const PLAN = { new: 1, known: 0, repeated: 0, left_out: 0 } as Plan;

describe("what is left out of a plan", () => {
  const rime = { ...PLATE, name: "rime", read_as: ["rime", "Rime"] };
  it("goes by the names that were read, and comes back", () => {
    const out = withClass(EVERYTHING, namesRead(rime), false);
    expect(isClassOut(out, rime)).toBe(true);
    expect(isClassOut(out, PLATE)).toBe(false);
    expect(withClass(out, namesRead(rime), true)).toEqual(EVERYTHING);
    expect(namesRead({ ...PLATE, read_as: [] })).toEqual([""]);
  });
  it("takes all of a folder with it", () => {
    const out = withFolder(EVERYTHING, "ridge/old", false);
    expect(
      ["ridge", "ridge/old", "ridge/old/1", "ridge/older"].map((path) => isFolderOut(out, path)),
    ).toEqual([false, true, true, false]);
    expect(withFolder(out, "ridge/old", true)).toEqual(EVERYTHING);
  });
});

describe("a plan in words", () => {
  it("says only what there is", () => {
    expect(planWords(PLAN)).toBe("1 new picture");
    expect(planWords({ ...PLAN, new: 1200, known: 3, repeated: 2, left_out: 4000 })).toBe(
      "1,200 new pictures, 3 here already, 2 repeated, 4,000 left out for now",
    );
  });

  it("says where classes come from", () => {
    expect(readingWords({ ...EVERYTHING, read_as: "pattern", pattern: "{class}_{number}" })).toBe(
      "the file names, as {class}_{number}",
    );
    expect(readingWords({ ...EVERYTHING, read_as: "table", table: "a/log.csv" })).toBe("the table a/log.csv");
  });

  it("says what the files are", () => {
    const survey = {
      pictures: 12,
      formats: { JPEG: 10, PNG: 2 },
      traits: { turned: 1 },
      smallest: [64, 58],
      largest: [1600, 1200],
      bytes: 2048,
    } as unknown as Survey;
    expect(contentWords(survey)).toBe("10 JPEG, 2 PNG; 1 turned; 64 × 58 to 1600 × 1200 pixels; 2 KB");
  });

  it("says what becomes of a class", () => {
    expect(classWords(PLATE)).toBe("");
    expect(classWords({ ...PLATE, in_project: 1, known: 2, chosen: 6 })).toBe(
      "joins 1 picture here, 2 here already, 4 left out",
    );
    expect(plannedSets(PLATE)).toEqual({ training: 7, validation: 0, test: 0, none: 3 });
  });
});

describe("changing a plan", () => {
  it("renames everything that a class was read as, and back", () => {
    const merged = renameIn(EVERYTHING, ["Plates", "plates"], "plate");
    expect(merged.renamed).toEqual({ Plates: "plate", plates: "plate" });
    expect(renameIn(merged, ["plates"], "plates").renamed).toEqual({ Plates: "plate" });
    expect(separate(merged, ["Plates", "plates", "plate"]).renamed).toEqual({});
    expect(EVERYTHING.renamed).toEqual({});
  });

  it("knows two choices that read alike", () => {
    const one = { ...EVERYTHING, renamed: { a: "b" } };
    expect(sameReading(one, EVERYTHING)).toBe(true);
    expect(
      sameReading({ ...one, read_as: "table", table: "a" }, { ...one, read_as: "table", table: "b" }),
    ).toBe(false);
    expect(
      sameReading({ ...one, read_as: "pattern", pattern: "x" }, { ...one, read_as: "pattern", pattern: "y" }),
    ).toBe(false);
  });
});
