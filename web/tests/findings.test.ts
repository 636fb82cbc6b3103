import { describe, expect, it } from "vitest";
import type { FindingLine, Findings, Histogram } from "../src/api/client";
import {
  answersWords,
  expectedWords,
  FOUND_ROWS,
  foldsWords,
  kindOf,
  partedLines,
  rangeOfBars,
  rangeOfSift,
  siftOfRange,
  toSettle,
} from "../src/domain/findings";

const LINE: FindingLine = {
  name: "blurred",
  title: "More blurred than its class",
  effect: "",
  mend: "",
  detail: "",
  count: 33,
  expected: 11.6,
  dismissed: 0,
  of_pictures: true,
  hidden: false,
  sift: "finding:blurred",
  measure: "blur",
};

const FOUND: Findings = {
  looked_at: "2026-11-30T00:00:00Z",
  pictures: 1435,
  answers: null,
  lines: [LINE, { ...LINE, name: "dark", count: 0 }, { ...LINE, name: "unequal", count: 1, hidden: true }],
  folds: { network: "plain 5", trainings: 5, epochs: 70, seconds: 57, plan_id: null },
};

describe("what a Sift asks for of findings", () => {
  it.each([
    ["finding:blurred order:-finding", "blurred"],
    ["class:plate finding:cut-off", "cut-off"],
    ["finding:any", undefined],
    ["finding:dismissed", undefined],
    ["blur>2", undefined],
  ])("%s shows %s alone", (sift, kind) => expect(kindOf(sift)).toBe(kind));

  it("has a row's name for each kind that a line has", () => {
    expect(Object.keys(FOUND_ROWS)).toContain(LINE.name);
    expect(FOUND_ROWS[LINE.name]).toBe(LINE.title);
  });
});

describe("lines", () => {
  it("counts what waits, without what was said to be no fault", () => {
    expect(toSettle(FOUND)).toBe(33);
    const { open, rest } = partedLines(FOUND);
    expect(open.map((line) => line.name)).toEqual(["blurred"]);
    expect(rest.map((line) => line.name)).toEqual(["dark", "unequal"]);
  });

  it.each([
    [{ ...LINE }, "about 12 of them by chance"],
    [{ ...LINE, expected: 0.2 }, "hardly one of them by chance"],
    [{ ...LINE, count: 0 }, ""],
    [{ ...LINE, expected: null }, ""],
  ])("says how many chance gives", (line, words) => expect(expectedWords(line)).toBe(words));

  it("says whose answers labels are held against, and what better ones cost", () => {
    expect(answersWords(FOUND)).toContain("No network has answered");
    const answers = { run: 7, run_id: 70, folds: true, answers: 1169 };
    expect(answersWords({ ...FOUND, answers })).toContain("folds (run 7) answered on 1,169 pictures");
    expect(answersWords({ ...FOUND, answers: { ...answers, folds: false } })).toContain(
      "what run 7 answered",
    );
    expect(foldsWords(FOUND)).toMatch(/^5 trainings of plain 5, about /);
    expect(foldsWords({ ...FOUND, folds: { ...FOUND.folds, seconds: null } })).toBe("5 trainings of plain 5");
  });
});

describe("a range of a histogram", () => {
  const bars: Histogram = { measure: "blur", bounds: [0, 1, 2, 3], counts: [5, 2, 1], named: [0, 0, 1] };

  it("lies between the ends of its bars, whichever way it was dragged", () => {
    expect(rangeOfBars(bars, 1, 2)).toEqual({ low: 1, high: 3 });
    expect(rangeOfBars(bars, 2, 1)).toEqual({ low: 1, high: 3 });
    expect(rangeOfBars(bars, 0, 0)).toEqual({ low: 0, high: 1 });
  });

  it("is written as a Sift and read from it", () => {
    const range = { low: 1.2345678, high: 3 };
    const sift = siftOfRange("blur", range, true);
    expect(sift).toBe("blur>=1.235 blur<=3 order:-blur");
    expect(rangeOfSift(sift, "blur")).toEqual({ low: 1.235, high: 3 });
    expect(rangeOfSift(sift, "light")).toBeUndefined();
    expect(rangeOfSift("blur>2", "blur")).toBeUndefined();
    expect(siftOfRange("light", range, false)).toContain("order:light");
  });
});
