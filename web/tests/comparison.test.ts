import { describe, expect, it } from "vitest";
import type { Comparison } from "../src/api/client";
import { cautions, changedCells, front, mendingWords, pairWords } from "../src/domain/comparison";
import { cellKey, chosenWords, isChosen, lineKey, sliceWords } from "../src/domain/matrix";
import { comparedValue, pathWords } from "../src/domain/runs";
import { judgedSift } from "../src/domain/siftLine";

function run(
  number: number,
  accuracy: number,
  cost: number,
  confusion: number[][] = [],
): Comparison["runs"][number] {
  return {
    id: number,
    number,
    name: "",
    model_id: number,
    count: 20,
    right: Math.round(20 * accuracy),
    accuracy,
    accuracy_interval: [accuracy - 0.1, Math.min(1, accuracy + 0.1)],
    macro_f1: accuracy,
    confusion,
    parameters: cost,
    multiply_adds: cost,
    train_s: null,
  };
}

function found(changes: Partial<Comparison> = {}): Comparison {
  return {
    runs: [run(3, 0.8, 10), run(5, 0.9, 10)],
    classes: [],
    pictures: 20,
    judged: [20, 20],
    labels_differ: 0,
    set: "validation",
    labels_of: 5,
    differences: [],
    pair: { gained: 7, lost: 5, p: 0.7744 },
    mending: null,
    ...changes,
  };
}

describe("a comparison", () => {
  it.each([
    [{ gained: 7, lost: 5, p: 0.7744 }, "7 now right, 5 now wrong: could well be chance, p = 0.77."],
    [{ gained: 1, lost: 0, p: 1 }, "1 now right, 0 now wrong: one picture’s difference."],
    [{ gained: 12, lost: 1, p: 0.0034 }, "12 now right, 1 now wrong: run 5 is better, p = 0.0034."],
    [{ gained: 1, lost: 40, p: 3e-11 }, "1 now right, 40 now wrong: run 3 is better, p < 0.001."],
    [{ gained: 0, lost: 0, p: 1 }, "Both are right and wrong about the same pictures."],
  ])("says of %o whether it could be chance", (pair, words) => {
    expect(pairWords(found({ pair }))).toBe(words);
  });

  it("says what has to be known first", () => {
    expect(cautions(found())).toEqual(["It compares these two models; with another seed it may turn."]);
    const more = { what: "settings.batch_size", values: [16, 32] };
    const seed = { what: "settings.seed", values: [1, 2] };
    expect(cautions(found({ differences: [more, seed] })).join()).not.toContain("More than one thing");
    const split = { what: "split", values: [1, 2] };
    expect(cautions(found({ differences: [more, split] })).join()).toContain("More than one thing");
    expect(cautions(found({ pictures: 8, judged: [20, 12] })).join()).toContain("8 validation pictures");
    expect(cautions(found({ pictures: 0 })).join()).toContain("share no validation picture");
    expect(cautions(found({ labels_differ: 2 })).join()).toContain("those of run 5");
  });

  it("tells what the labels alone did from what the training did", () => {
    const others = { count: 18, right_then: 15, right_now: 16, gained: 2, lost: 1, p: 1 };
    const mending = {
      relabelled: { training: 3, validation: 2 },
      before: 3,
      after: 5,
      right_then: 15,
      right_by_new_labels: 17,
      right_now: 17,
      others,
      pictures: [],
    };
    const words = mendingWords(found({ mending }));
    expect(words.slice(0, 3)).toEqual([
      "Run 3 by its own labels: 15 of 20 right.",
      "The same answers by the labels of run 5: 17 (+2): the labels alone.",
      "Run 5 by them: 17 (as many).",
    ]);
    expect(words[3]).toContain(
      "On the 18 that were not mended: 16 against 15 (2 now right, 1 now wrong, p = 1).",
    );
    // Where only training pictures were mended all of them tell.
    expect(mendingWords(found({ mending: { ...mending, others: { ...others, count: 20 } } }))).toHaveLength(
      3,
    );
    expect(mendingWords(found())).toEqual([]);
  });

  it("tells gains from losses on and off the diagonal", () => {
    const runs = [run(3, 0.8, 1, [[8, 2], [3, 7]]), run(5, 0.9, 1, [[9, 1], [4, 6]])]; // biome-ignore format: a matrix
    expect(changedCells(found({ runs }))).toEqual([
      { truth: 0, predicted: 0, change: 1, better: true },
      { truth: 0, predicted: 1, change: -1, better: true },
      { truth: 1, predicted: 0, change: 1, better: false },
      { truth: 1, predicted: 1, change: -1, better: false },
    ]);
  });

  it("finds what nothing beats", () => {
    const runs = [run(1, 0.8, 10), run(2, 0.9, 30), run(3, 0.85, 40), run(4, 0.8, 12)];
    expect([...front(found({ runs }), "parameters")]).toEqual([0, 1]);
  });

  it("names what differs and its values", () => {
    expect(pathWords("settings.batch_size")).toBe("batch size");
    expect(comparedValue("pictures", { training: 70, validation: 20, test: 10 })).toBe("70 / 20 / 10");
    expect(comparedValue("start.words", null)).toBe("nothing");
    expect(comparedValue("variation.turn", { chance: 1, low: -15 })).toBe("chance 1, low -15");
  });
});

describe("a slice", () => {
  it.each([
    [{ times: 3.08, p: 0.0041 }, "errors are 3.1 times as frequent among the darkest fifth (p = 0.004)"],
    [{ times: 1e6, p: 1e-9 }, "errors are over 100 times as frequent among the darkest fifth (p < 0.001)"],
  ])("says how many times more and how sure that is", (figures, words) => {
    expect(sliceWords({ words: "among the darkest fifth", sift: "", count: 40, wrong: 9, ...figures })).toBe(
      words,
    );
  });
});

describe("a choice in the matrix", () => {
  const classes = [
    { id: 4, name: "plate" },
    { id: 9, name: "wet rime" },
  ];
  it("is cells and whole lines, in words and as a Sift", () => {
    const chosen = new Set([
      cellKey(classes, 0, 1),
      lineKey(classes, 1, "true"),
      lineKey(classes, 0, "predicted"),
    ]);
    expect([...chosen]).toEqual(["4.9", "9.*", "*.4"]);
    expect(isChosen(classes, chosen, 0, 1)).toBe(true);
    expect(isChosen(classes, chosen, 1, 1)).toBe(true);
    expect(isChosen(classes, chosen, 0, 0)).toBe(true);
    expect(isChosen(classes, new Set(["9.*"]), 0, 1)).toBe(false);
    expect(chosenWords(classes, chosen)).toBe(
      "plate read as wet rime; all that are wet rime; all read as plate",
    );
    expect(judgedSift(classes, "validation", chosen)).toBe(
      'judged:validation ((true:"plate" predicted:"wet rime") or (true:"wet rime") or (predicted:"plate")) order:-loss',
    );
  });
});
