/** The list of a network: lines put in, moved, repeated and taken out, and the drawing beside it. */
import { describe, expect, it } from "vitest";
import {
  drawnIn,
  duplicated,
  freeName,
  moved,
  type Part,
  partAt,
  putIn,
  repeatedOnce,
  rowsOf,
  takenOut,
} from "../src/domain/network";
import { drawNetwork } from "../src/domain/networkDrawing";

const LIST: readonly Part[] = [
  { id: "a", kind: "conv_block", channels: 8 },
  {
    id: "r",
    kind: "repeat",
    times: 2,
    layers: [
      { id: "b", kind: "max_pool" },
      { id: "c", kind: "relu" },
    ],
  },
  { id: "h", kind: "head" },
];
const kinds = (parts: readonly Part[]) =>
  rowsOf(parts).map((row) => `${row.line.join(".")} ${row.part.kind}`);

describe("a network's list", () => {
  it("is read line by line, with what is in a stretch", () => {
    expect(kinds(LIST)).toEqual(["0 conv_block", "1 repeat", "1.0 max_pool", "1.1 relu", "2 head"]);
    expect(partAt(LIST, [1, 1])?.id).toBe("c");
    expect(partAt(LIST, [1, 2])).toBeUndefined();
  });

  it("takes lines in behind the cursor, but before the end", () => {
    const tanh = { kind: "tanh" };
    expect(putIn(LIST, [0], tanh)).toMatchObject({ line: [1] });
    expect(kinds(putIn(LIST, [1, 0], tanh).parts).slice(1, 5)).toEqual([
      "1 repeat",
      "1.0 max_pool",
      "1.1 tanh",
      "1.2 relu",
    ]);
    expect(kinds(putIn(LIST, [2], tanh).parts).slice(-2)).toEqual(["2 tanh", "3 head"]);
    expect(putIn([], undefined, tanh)).toEqual({ parts: [tanh], line: [0] });
    expect(putIn([{ kind: "repeat", layers: [] }], [0], tanh).line).toEqual([0, 0]);
  });

  it("keeps its end where it is", () => {
    for (const found of [
      takenOut(LIST, [2]),
      moved(LIST, [2], -1),
      moved(LIST, [1], 1),
      duplicated(LIST, [2]),
      repeatedOnce(LIST, [2]),
    ])
      expect(found).toBeUndefined();
  });

  it("moves, duplicates and takes out, and says where the cursor is then", () => {
    expect(moved(LIST, [1], -1)).toMatchObject({ line: [0], parts: [{ id: "r" }, { id: "a" }, { id: "h" }] });
    expect(moved(LIST, [1, 0], -1)).toBeUndefined();
    const twice = duplicated(LIST, [1]);
    expect(twice?.line).toEqual([2]);
    // Ids are given anew: two of one name could not be told apart.
    expect(rowsOf(twice?.parts ?? []).map((row) => row.part.id)).toEqual([
      "a",
      "r",
      "b",
      "c",
      undefined,
      undefined,
      undefined,
      "h",
    ]);
    expect(takenOut(LIST, [1, 1])).toMatchObject({ line: [1, 0] });
    expect(takenOut([{ kind: "relu" }], [0])).toEqual({ parts: [], line: [0] });
  });

  it("repeats a line, and a stretch once more, and lets it grow upwards", () => {
    const once = repeatedOnce(LIST, [0]);
    expect(once?.parts[0]).toMatchObject({ kind: "repeat", times: 2, layers: [{ id: "a" }] });
    expect(repeatedOnce(LIST, [1])?.parts[1]).toMatchObject({ times: 3 });
    const grown = drawnIn(LIST, [1]);
    expect(grown && kinds(grown.parts)).toEqual([
      "0 repeat",
      "0.0 conv_block",
      "0.1 max_pool",
      "0.2 relu",
      "1 head",
    ]);
    expect(grown?.line).toEqual([0]);
    expect(drawnIn(LIST, [0])).toBeUndefined();
  });

  it("gets a name that is free", () => {
    expect(freeName("medium changed", ["Medium changed", "medium changed 2"])).toBe("medium changed 3");
  });
});

describe("the drawing", () => {
  it("is to scale, and shows what parts and joins", () => {
    const layer = (place: number, kind: string, sources: number[], shape: number[]) => ({
      place,
      kind,
      sources,
      shape,
    });
    const drawing = drawNetwork(
      [
        { line: [0], layers: [layer(1, "conv", [0], [32, 32, 16])] },
        {
          line: [1],
          layers: [
            layer(2, "conv", [1], [16, 16, 64]),
            layer(3, "conv", [1], [16, 16, 64]),
            layer(4, "add", [2, 3], [16, 16, 64]),
          ],
        },
        { line: [2], layers: [layer(5, "dense", [4], [7])] },
      ],
      32,
    );
    const [first, second, aside, joint, last] = drawing.bars;
    expect(first?.width).toBe(2 * (second?.width ?? 0));
    expect((second?.height ?? 0) > (first?.height ?? 0)).toBe(true);
    expect((aside?.x ?? 0) > (second?.x ?? 0) + (second?.width ?? 0)).toBe(true);
    expect(joint?.x).toBe(second?.x);
    expect((last?.width ?? 0) < 5).toBe(true);
    expect(drawing.ways.map((way) => way.key)).toEqual(["1-3", "2-4", "3-4"]);
  });
});
