import { describe, expect, it } from "vitest";
import { classColour, colourPlace } from "../src/domain/classColour";
import { asksAboutRun, completed, judgedSift, orderedByLikeness, rowsAddress } from "../src/domain/siftLine";

describe("ordering by likeness", () => {
  it("puts its order in place of others, and leaves quoted text alone", () => {
    expect(orderedByLikeness("")).toBe("order:like");
    expect(orderedByLikeness("class:plate order:-size,name wrong")).toBe("class:plate wrong order:like");
    expect(orderedByLikeness('ORDER:p "order:p"')).toBe('"order:p" order:like');
    expect(orderedByLikeness("name:border:x")).toBe("name:border:x order:like");
  });
});

describe("asking about a run", () => {
  it.each([
    "wrong",
    "class:plate (wrong or p<0.6)",
    "not judged",
    "order:-loss",
    "order:name,p",
    "Predicted:plate",
    "judged:validation true:plate",
  ])("does %s", (sift) => expect(asksAboutRun(sift)).toBe(true));
  it.each(["", "plate", '"wrong"', "wrongly", "name:p", "order:path", "shape>2", "group:loss"])(
    "does not %s",
    (sift) => expect(asksAboutRun(sift)).toBe(false),
  );
});

describe("writing a completion in", () => {
  const entry = (text: string, start: number) => ({ text, start, words: "", count: null });
  it("replaces what was begun, and leaves what stands behind the cursor", () => {
    expect(completed("class:pl wrong", 8, entry("plate", 6))).toEqual({
      text: "class:plate wrong",
      cursor: 12,
    });
  });
  it("goes on at once where a value is still to come", () => {
    expect(completed("wrong cl", 8, entry("class:", 6))).toEqual({ text: "wrong class:", cursor: 12 });
  });
});

describe("what a model was judged on", () => {
  const classes = [
    { id: 3, name: "plate" },
    { id: 4, name: 'the "odd" ones' },
  ];
  it("is its errors, one cell, or several, the most surprising first", () => {
    expect(judgedSift(classes, "test", new Set())).toBe("judged:test wrong order:-loss");
    expect(judgedSift(classes, "validation", new Set(["3.4"]))).toBe(
      'judged:validation true:"plate" predicted:"the ""odd"" ones" order:-loss',
    );
    expect(judgedSift(classes, "validation", new Set(["3.3", "4.3"]))).toBe(
      'judged:validation ((true:"plate" predicted:"plate") or (true:"the ""odd"" ones" predicted:"plate")) order:-loss',
    );
  });
  it("opens in Rows with its run, and without what is not named", () => {
    const asked = { sift: "wrong & right", split: undefined, run: 7, like: undefined };
    expect(rowsAddress(2, asked)).toBe("/p/2/rows?group=nothing&sift=wrong+%26+right&run=7");
  });
});

describe("the colour of a class", () => {
  it("is the chosen one, else goes by its place and begins again after ten", () => {
    expect(colourPlace({ place: 12, colour: null })).toBe(2);
    expect(colourPlace({ place: 12, colour: 0 })).toBe(0);
    expect(colourPlace(undefined)).toBeUndefined();
    expect(classColour(undefined)).toBe("var(--class-none)");
  });
});
