import { describe, expect, it } from "vitest";
import type { Heatmap, Judgement } from "../src/api/client";
import { FieldIndex, JUDGED, WRONG } from "../src/domain/fieldIndex";
import { heatOnTile } from "../src/domain/heat";
import { HeatStore } from "../src/domain/heatStore";
import { labelsWords } from "../src/domain/judged";
import { asksAboutRun, judgedSift } from "../src/domain/siftLine";
import { ordinal, setWords } from "../src/domain/words";
import { moved, WHOLE, zoomed, zoomWords } from "../src/domain/zoom";

describe("answers of a field's records", () => {
  /** One record: id × 256 + flags, class, predicted; then a figure, then what is next. */
  function record(flags: number, label: number, predicted: number, figure: number, answer: number) {
    const view = new DataView(new ArrayBuffer(24));
    view.setUint32(4, 9 * 256 + flags);
    view.setUint32(8, label);
    view.setUint32(12, predicted);
    view.setFloat32(16, figure);
    view.setUint32(20, answer);
    return view.buffer;
  }
  const has = { figure: "loss", answers: true };

  it("say the next class and whether the model is unsure", () => {
    const sure = new FieldIndex(record(JUDGED, 3, 3, 0.5, 4), 1, has);
    expect([sure.nextAt(0), sure.undecidedAt(0), sure.misreadAt(0)]).toEqual([4, false, false]);
    expect(sure.figureAt(0)).toBe(0.5);
    const unsure = new FieldIndex(record(JUDGED + WRONG, 3, 5, 0.5, 2 ** 31 + 7), 1, has);
    expect([unsure.nextAt(0), unsure.undecidedAt(0), unsure.misreadAt(0)]).toEqual([7, true, true]);
  });

  it("tell what was mended since, and what has no label, apart too", () => {
    expect(new FieldIndex(record(JUDGED, 2, 3, 0, 0), 1, has).misreadAt(0)).toBe(true);
    expect(new FieldIndex(record(JUDGED, 0, 3, 0, 0), 1, has).misreadAt(0)).toBe(true);
    // Nobody was asked about it.
    expect(new FieldIndex(record(0, 2, 0, 0, 0), 1, has).misreadAt(0)).toBe(false);
    // Without them nothing is said.
    const bare = new FieldIndex(record(JUDGED, 2, 3, 0, 9), 1);
    expect([bare.nextAt(0), bare.undecidedAt(0)]).toEqual([0, false]);
  });
});

describe("a Sift of what was judged", () => {
  const classes = [
    { id: 3, name: "plate" },
    { id: 4, name: "rime" },
  ];
  const today = [
    { id: 3, name: "hexagon" },
    { id: 4, name: "rime" },
  ];
  it("means labels of then, or those of today under the names of today", () => {
    expect(judgedSift(classes, "outside", new Set())).toBe("judged:outside wrong order:-loss");
    expect(judgedSift(classes, "validation", new Set(["3.4"]))).toBe(
      'judged:validation true:"plate" predicted:"rime" order:-loss',
    );
    expect(judgedSift(classes, "validation", new Set(), today)).toBe(
      "judged:validation wrong-today not excluded order:-loss",
    );
    expect(judgedSift(classes, "validation", new Set(["3.4", "*.3"]), today)).toBe(
      'judged:validation ((class:"hexagon" predicted:"rime") or (predicted:"plate")) (wrong-today or right-today) not excluded order:-loss',
    );
  });
  it.each(["wrong-today", "undecided", "right-today not excluded"])("%s asks about a run", (sift) =>
    expect(asksAboutRun(sift)).toBe(true),
  );
});

describe("words", () => {
  it.each([
    [1, "1st"],
    [2, "2nd"],
    [3, "3rd"],
    [4, "4th"],
    [11, "11th"],
    [12, "12th"],
    [13, "13th"],
    [21, "21st"],
    [112, "112th"],
  ])("%i is the %s", (place, words) => expect(ordinal(place)).toBe(words));
  it("name what lies in no set", () =>
    expect([setWords("outside"), setWords("test")]).toEqual(["in no set", "test"]));
  it.each([
    [{ relabelled: 0, left_out: 0 }, "labels as they were"],
    [{ relabelled: 1200, left_out: 0 }, "1,200 relabelled since"],
    [{ relabelled: 2, left_out: 1 }, "2 relabelled since, 1 taken out or unlabelled since"],
  ])("say how today's labels differ", (counts, words) =>
    expect(labelsWords(counts as Judgement)).toBe(words),
  );
});

describe("an enlarged picture", () => {
  it("keeps what lies under the pointer where it is", () => {
    const at = { x: 40, y: -20 };
    const once = zoomed(WHOLE, 2, 1, at);
    // A point of the picture lies at offset + times × place: the one under the pointer stays there.
    expect([once.x + once.times * 40, once.y + once.times * -20]).toEqual([40, -20]);
    const twice = zoomed(once, 2, 1, at);
    expect([twice.x + twice.times * 40, twice.y + twice.times * -20]).toEqual([40, -20]);
  });
  it("goes no further than a pixel of 64, and back to the whole", () => {
    expect(zoomed(WHOLE, 1000, 5).times).toBeCloseTo(64 / 5);
    expect(zoomed({ times: 1.2, x: 30, y: 4 }, 0.5, 5)).toEqual(WHOLE);
    expect(zoomed(WHOLE, 2, 100).times).toBe(1);
  });
  it("is not moved out of sight", () => {
    const far = moved({ times: 2, x: 0, y: 0 }, 5000, -5000, 100, 60);
    expect([far.x, far.y]).toEqual([100, -60]);
  });
  it.each([
    [12.4, "×12"],
    [5, "×5"],
    [0.41, "×0.41"],
  ])("says its scale", (pixel, words) => expect(zoomWords(pixel)).toBe(words));
});

describe("a heatmap on a tile", () => {
  const found = (width: number, height: number, area: number[]) => ({ width, height, area }) as Heatmap;
  it("lies on the picture, which stands in the middle", () => {
    expect(heatOnTile(found(200, 100, [0, 0, 1, 1]), 104)).toEqual({
      left: 0,
      top: 26,
      width: 104,
      height: 52,
    });
    // Of the middle the network sees a square; with a border it sees more than there is.
    expect(heatOnTile(found(200, 100, [0.25, 0, 0.75, 1]), 104)).toEqual({
      left: 26,
      top: 26,
      width: 52,
      height: 52,
    });
    expect(heatOnTile(found(200, 100, [0, -0.5, 1, 1.5]), 104)).toEqual({
      left: 0,
      top: 0,
      width: 104,
      height: 104,
    });
  });
});

describe("heatmaps of tiles", () => {
  it("are asked for two at a time, the most wanted first, and once each", async () => {
    const asked: number[] = [];
    const answers = new Map<number, (map: string) => void>();
    let arrivals = 0;
    const store = new HeatStore<string>(
      (id) => {
        asked.push(id);
        return new Promise((answer) => answers.set(id, answer));
      },
      () => arrivals++,
    );
    const tile = (id: number) => ({ id, labelled: 1 });
    store.want([1, 2, 3].map(tile));
    expect(asked).toEqual([1, 2]);
    // It was scrolled meanwhile: 3 is not wanted any more.
    store.want([5, 1].map(tile));
    answers.get(1)?.("map");
    await Promise.resolve();
    await new Promise((done) => setTimeout(done));
    expect(asked).toEqual([1, 2, 5]);
    expect([store.get(tile(1)), store.get(tile(5)), store.missing(), arrivals]).toEqual([
      "map",
      undefined,
      1,
      1,
    ]);
    // The same picture under another label is another question.
    expect(store.get({ id: 1, labelled: 2 })).toBeUndefined();
    store.close();
  });
  it("leave out what has none", async () => {
    const store = new HeatStore<string>(
      () => Promise.reject(new Error("409")),
      () => {},
    );
    store.want([{ id: 1, labelled: 0 }]);
    await new Promise((done) => setTimeout(done));
    expect(store.missing()).toBe(0);
  });
});
