import { describe, expect, it } from "vitest";
import type { Footing, Judgement, Run } from "../src/api/client";
import { footingParts } from "../src/domain/footing";
import { confusedPairs, likenessOrder, matrixCells } from "../src/domain/matrix";
import { answerSentence, ranked } from "../src/domain/ranking";

function judged(confusion: number[][]): Judgement {
  const total = (cells: number[]) => cells.reduce((sum, n) => sum + n, 0);
  return {
    relabelled: 0,
    left_out: 0,
    count: total(confusion.map(total)),
    right: total(confusion.map((row, place) => row[place] ?? 0)),
    accuracy: 0.8,
    accuracy_interval: [0.7, 0.9],
    loss: 0.5,
    largest_class_share: 0.5,
    macro_precision: 0,
    macro_recall: 0,
    macro_f1: 0,
    classes: confusion.map((row, place) => ({
      precision: null,
      recall: null,
      f1: null,
      count: total(row),
      predicted: total(confusion.map((other) => other[place] ?? 0)),
      right: row[place] ?? 0,
    })),
    confusion,
  };
}

describe("matrix", () => {
  const judgement = judged([
    [9, 0, 1],
    [0, 4, 0],
    [4, 0, 4],
  ]);

  it("makes the area of a square the share of its row or column", () => {
    const cell = matrixCells(judgement, "row").find((entry) => entry.truth === 2 && entry.predicted === 0);
    expect(cell?.share).toBe(0.5);
    expect((cell?.side ?? 0) ** 2).toBeCloseTo(0.5, 12);
    const byColumn = matrixCells(judgement, "column").find(
      (entry) => entry.truth === 2 && entry.predicted === 0,
    );
    expect(byColumn?.share).toBeCloseTo(4 / 13, 12);
  });

  it("ranks wrong cells and leaves right ones out", () => {
    expect(confusedPairs(judgement)).toEqual([{ truth: 2, predicted: 0, count: 4, back: 1 }]);
  });

  it("orders confused classes next to each other", () => {
    const order = likenessOrder(judgement);
    expect([...order].sort()).toEqual([0, 1, 2]);
    expect(Math.abs(order.indexOf(0) - order.indexOf(2))).toBe(1);
  });

  it("has no share where a class never occurs", () => {
    const empty = judged([
      [0, 0],
      [0, 3],
    ]);
    expect(matrixCells(empty, "row")[0]?.share).toBe(0);
  });
});

describe("footing", () => {
  const run = {
    number: 12,
    split_number: 4,
    validation: {
      ...judged([
        [9, 1],
        [2, 8],
      ]),
      accuracy: 0.85,
    },
    recipe: { preprocessing: {} },
  } as unknown as Run;
  const footing: Footing = {
    run_number: 12,
    split_number: 4,
    pictures: 1412,
    labels_changed: 9,
    pictures_added: 0,
    pictures_gone: 1,
    areas_changed: 0,
    fresh_changed: false,
    classes_renamed: 0,
  };

  it("says what a run started from, and by whose statistics it sees", () => {
    const texts = (start: object) =>
      footingParts({ ...run, recipe: { start, preprocessing: {} } } as unknown as Run, footing).map(
        (part) => part.text,
      );
    const from = { words: "run 1 of Valley", new_statistics: false };
    expect(texts(from)[2]).toBe("from run 1 of Valley, with its statistics");
    expect(texts({ ...from, new_statistics: true })[2]).toContain("with statistics of these pictures");
  });

  it("says what a new picture gets, and when that is another one now", () => {
    const told = (area: object | null, changed: boolean) =>
      footingParts({ ...run, recipe: { preprocessing: { area } } } as unknown as Run, {
        ...footing,
        fresh_changed: changed,
        areas_changed: changed ? 3 : 0,
      })
        .filter((part) => part.opens === "rows/area" || part.text.includes("areas"))
        .map((part) => [part.text, part.changed]);
    const found = { keep: null, margin: 0.1, covered: [], fill: null };
    expect(told(null, false)).toEqual([]);
    expect(told(found, false)).toEqual([["a new picture gets what stands out, with 10 % around it", false]]);
    expect(told(null, true)).toEqual([
      ["a new picture counts whole, changed since", true],
      ["3 working areas changed since", true],
    ]);
  });

  it("says what the result stands on and marks only what changed", () => {
    const parts = footingParts(run, footing);
    expect(parts.map((part) => part.text)).toEqual([
      "0.850 on 20 validation pictures",
      "run 12 on split 4",
      "of 1,412 pictures",
      "9 labels changed since",
      "1 picture gone since",
    ]);
    expect(parts.filter((part) => part.changed)).toHaveLength(2);
  });
});

describe("answers", () => {
  const order = ranked(["plate", "sectored", "stellar"], [0.15, 0.81, 0.04]);

  it("names the first and the runner-up", () => {
    expect(answerSentence(order, 0.5)).toEqual({ unsure: false, text: "sectored, 0.81; next plate, 0.15" });
  });

  it("is unsure below the threshold, and never says 1.00 for less", () => {
    expect(answerSentence(order, 0.9).unsure).toBe(true);
    expect(answerSentence(ranked(["a", "b"], [0.9996, 0.0004]), 0.5).text).toBe("a, >0.99; next b, <0.01");
  });
});

describe("four classes", () => {
  it("stand in a chain by likeness: each beside the one it is most confused with", () => {
    // 0 and 3 are confused most, then 3 and 1, then 2 and 0.
    const judgement = judged([
      [70, 0, 10, 20],
      [0, 85, 0, 15],
      [12, 0, 88, 0],
      [25, 10, 0, 65],
    ]);
    // From 0 and 3, which are joined first, 3 goes on to 1 and 0 to 2.
    const order = likenessOrder(judgement);
    expect([
      [2, 0, 3, 1],
      [1, 3, 0, 2],
    ]).toContainEqual(order);
  });

  it("are not ordered by how many pictures they have, but by their shares", () => {
    // 40 of 1,000 of class 0 read as 1 are a smaller share than 3 of 10 of class 2 read as 3.
    const judgement = judged([
      [960, 40, 0, 0],
      [0, 1000, 0, 0],
      [0, 0, 7, 3],
      [0, 0, 0, 10],
    ]);
    const order = likenessOrder(judgement);
    expect(Math.abs(order.indexOf(2) - order.indexOf(3))).toBe(1);
    expect(order.slice(0, 2).sort()).not.toEqual([0, 1]);
  });
});
