/** Curves as lines and in words. */
import { describe, expect, it } from "vitest";
import type { Epoch } from "../src/api/client";
import { endSigns, linesOf, plotOf, readAt, type Shown, stepPath } from "../src/domain/curveLines";
import { curveWords, gapWords } from "../src/domain/curves";

function epochs(losses: [number, number][], recalls: (number | null)[] = []): Epoch[] {
  return losses.map(([training, validation], place) => ({
    number: place + 1,
    figures: {
      training_loss: training,
      validation_loss: validation,
      training_accuracy: 0.5,
      validation_accuracy: 0.5,
      learning_rate: 0.001,
    },
    recalls,
    losses: [],
  }));
}

const BOX = { left: 0, top: 0, right: 100, bottom: 50 };
const CLASSES = [
  { name: "plate", sign: "P", colour: "red" },
  { name: "rime", sign: "R", colour: "blue" },
];

function drawn(shown: Shown, of: Epoch[], planned: number, logarithmic = false) {
  const lines = linesOf(shown, of, CLASSES);
  const numbers = of.map((entry) => entry.number);
  return plotOf(shown, lines, numbers, planned, BOX, logarithmic);
}

describe("a plot", () => {
  it("reaches from the first epoch to the planned last one", () => {
    const plot = drawn("loss", epochs([[1, 1]]), 11);
    expect([plot.x(1), plot.x(11), plot.y(0)]).toEqual([0, 100, 50]);
    expect(plot.paths.map((path) => path.d.startsWith("M0,"))).toEqual([true, true]);
  });

  it("stays whole with no epochs at all", () => {
    const plot = drawn("accuracy", [], 25);
    expect(plot.paths.map((path) => path.d)).toEqual(["", ""]);
    expect(plot.y(1)).toBe(0);
  });

  it("shows a loss by its powers of ten", () => {
    const plot = drawn(
      "loss",
      epochs([
        [1, 1],
        [0.1, 0.1],
        [0.01, 0.01],
      ]),
      3,
      true,
    );
    // As far from 1 to 0.1 as from there to 0.01.
    expect(plot.y(0.1) - plot.y(1)).toBeCloseTo(plot.y(0.01) - plot.y(0.1));
    expect(plot.yTicks.map((tick) => tick.label)).toContain("0.1");
    expect(plot.yTicks.map((tick) => tick.label)).not.toContain("0.3");
  });

  it("has a line for each class, with a gap where one has no picture", () => {
    const some = epochs(
      [
        [1, 1],
        [1, 1],
      ],
      [0.25, null],
    );
    const lines = linesOf("recall", some, CLASSES);
    expect(lines.map((entry) => [entry.name, entry.values])).toEqual([
      ["plate", [0.25, 0.25]],
      ["rime", [null, null]],
    ]);
    expect(drawn("recall", some, 2).paths[1]?.d).toBe("");
    expect(readAt("recall", lines, 1)).toBe("plate 0.25");
    // Runs of earlier versions kept none.
    expect(linesOf("recall", epochs([[1, 1]]), CLASSES)[0]?.values).toEqual([null]);
  });

  it("has a sign at the end of each class's line, none over another", () => {
    const alike = epochs([[1, 1]], [1, 1]);
    const lines = linesOf("recall", alike, CLASSES);
    expect(endSigns(drawn("recall", alike, 2), lines, BOX)).toEqual([
      { sign: "P", at: 0 },
      { sign: "R", at: 12 },
    ]);
    const none = epochs([[1, 1]], [0, 0]);
    expect(
      endSigns(drawn("recall", none, 2), linesOf("recall", none, CLASSES), BOX).map((end) => end.at),
    ).toEqual([38, 50]);
  });

  it("is read at an epoch", () => {
    const some = epochs([[1, 0.75]]);
    expect(readAt("loss", linesOf("loss", some, []), 0)).toBe("training 1.000, validation 0.750");
    expect(readAt("rate", linesOf("rate", some, []), 0)).toBe("0.001");
    expect(readAt("macro-f1", linesOf("macro-f1", some, []), 0)).toBe("");
  });
});

describe("the line of steps", () => {
  const some = epochs([
    [1, 1],
    [1, 1],
  ]).map((entry) => ({ ...entry, losses: [0.5, 1] }));
  const lines = linesOf("loss", some, []);
  const plot = plotOf("loss", lines, [1, 2], 4, BOX, false, 0);
  const [y1, y05] = [plot.y(1), plot.y(0.5)].map((y) => Number(y.toFixed(3)));

  it("lies between an epoch and the one before, and the first one's before it", () => {
    expect(stepPath(plot, some)).toBe(`M12.5,${y05}L25,${y1}L37.5,${y05}L50,${y1}`);
    expect(stepPath(plot, epochs([[1, 1]]))).toBe("");
    expect(plot.xTicks.map((tick) => tick.label)).toEqual(["1", "2", "3", "4"]);
  });

  it("goes on into the epoch that is under way", () => {
    const path = stepPath(plot, some, { losses: [1, 0.5], part: 0.5 });
    expect(path.endsWith(`L50,${y1}L56.25,${y1}L62.5,${y05}`)).toBe(true);
  });
});

describe("the curves in words", () => {
  it("say whether validation still falls", () => {
    const falling = epochs([
      [1, 1],
      [0.9, 0.8],
      [0.8, 0.7],
    ]);
    expect(curveWords(falling, 3, null)).toBe("Validation loss is still falling. Epoch 3 is kept.");
    const wavering = epochs([
      [1, 0.7],
      [0.9, 0.8],
      [0.8, 0.9],
    ]);
    expect(curveWords(wavering, 1, null)).toBe(
      "Validation loss was lowest in epoch 1 so far. Epoch 1 is kept.",
    );
    expect(curveWords(wavering, 1, 2)).toContain("has not fallen since epoch 2");
    expect(curveWords([], null, undefined)).toBe("The first epoch is under way.");
  });

  it("explain a gap either way", () => {
    expect(
      gapWords(
        epochs([
          [1, 1],
          [0.5, 0.6],
          [0.4, 0.8],
          [0.1, 1.1],
        ]),
      ),
    ).toContain("by heart");
    expect(
      gapWords(
        epochs([
          [1, 0.9],
          [0.9, 0.7],
          [0.8, 0.5],
          [0.7, 0.4],
        ]),
      ),
    ).toContain("in training only");
    expect(
      gapWords(
        epochs([
          [1, 1],
          [0.9, 0.9],
          [0.8, 0.8],
          [0.7, 0.71],
        ]),
      ),
    ).toBe("");
  });
});
