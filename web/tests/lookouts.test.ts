/** What lookouts say, in order and in words; layers as shades and bands. */
import { describe, expect, it } from "vitest";
import type { Layers, Lookout, Watch } from "../src/api/client";
import { bandsOf, figuresOf, shading } from "../src/domain/layers";
import {
  byQuestion,
  FIRST_OWN,
  found,
  lookoutsWords,
  ownProblem,
  ownWords,
  standingWords,
  watchWords,
  withAct,
} from "../src/domain/lookouts";

function lookout(id: string, standing: Lookout["standing"], facts: Partial<Lookout> = {}): Lookout {
  return {
    id,
    question: "moves",
    words: id,
    measures: "",
    act: "say",
    standing,
    value: null,
    bound: null,
    since: null,
    where: "",
    why: "",
    mend: "",
    change: {},
    leads_to: "",
    ...facts,
  };
}

const WATCH: Watch = { every: 20, layers: [], figures: [], acts: {}, own: [] };

describe("lookouts", () => {
  it("say how they stand, with the figure against its bound", () => {
    expect(standingWords(lookout("a", "early"))).toBe("too early to say");
    expect(standingWords(lookout("a", "quiet", { value: 0.01234, bound: 0.03 }))).toBe(
      "quiet, 0.012 against 0.03",
    );
    expect(standingWords(lookout("a", "found", { since: 3, where: "two" }))).toBe("since epoch 3, two");
    expect(lookoutsWords([lookout("a", "early"), lookout("b", "quiet"), lookout("c", "found")])).toBe(
      "1 lookout found something, 1 quiet, 1 too early to say",
    );
  });

  it("name the cause before what comes of it, and before all what ended the run", () => {
    const all = ["still", "asleep", "nothing", "rate"].map((id) => lookout(id, "found"));
    const ids = (ended: string) => found([...all, lookout("heart", "quiet")], ended).map((entry) => entry.id);
    expect(ids("")).toEqual(["rate", "asleep", "nothing", "still"]);
    expect(ids("nothing")[0]).toBe("nothing");
  });

  it("stand below the question that they answer", () => {
    const asked = byQuestion([lookout("a", "early"), lookout("b", "early", { question: "own" })]);
    expect(asked.map((entry) => [entry.words, entry.lookouts.length])).toEqual([
      ["Does it move?", 1],
      ["Your own", 1],
    ]);
  });

  it("only say it unless something else was chosen", () => {
    const ends = withAct(WATCH, "heart", "end");
    expect(ends.acts).toEqual({ heart: "end" });
    expect(withAct(ends, "heart", "say").acts).toEqual({});
    expect(watchWords(WATCH)).toBe("watched, none ends it");
    expect(watchWords({ ...ends, every: 0 })).toBe("watched, 1 can end it, layers not recorded");
  });

  it("of one's own have a name of their own and read as a sentence", () => {
    const own = { ...FIRST_OWN, name: "Mine" };
    expect(ownProblem(FIRST_OWN, [], [])).toBe("Give it a name.");
    expect(ownProblem({ ...own, name: " mine " }, [own], [])).toBe("Another lookout is called that.");
    expect(ownProblem(own, [], [])).toBe("");
    expect(ownWords(own)).toBe("validation loss above 2 for 3 epochs in a row");
    expect(ownWords({ ...own, figure: "zeros", epochs: 1 })).toBe(
      "share of zeros of any layer above 2 for 1 epoch in a row",
    );
  });
});

const LAYERS: Layers = {
  layers: ["one", "two"],
  bands: [0.05, 0.25, 0.5, 0.75, 0.95],
  epochs: [
    { number: 1, layers: [{ update: 0.001, zeros: 0.5, bands: [0, 1, 2, 3, 4] }, null] },
    {
      number: 3,
      layers: [
        { update: 0.1, zeros: 0.25, bands: [0, 1, 2, 3, 4] },
        { update: 0.01, zeros: 0 },
      ],
    },
  ],
};

describe("the strip of layers", () => {
  it("shades shares as they are and sizes by their power of ten", () => {
    const shade = shading(LAYERS, "update");
    const [first, last] = LAYERS.epochs;
    expect(shade(first?.layers[1] ?? null)).toBeNull();
    expect(shade(last?.layers[0] ?? null)).toBeCloseTo(1);
    // As far from the smallest as from the largest.
    expect(shade(last?.layers[1] ?? null)).toBeCloseTo(0.08 + 0.92 / 2);
    expect(shading(LAYERS, "zeros")(first?.layers[0] ?? null)).toBe(0.5);
    expect(figuresOf(LAYERS).map((entry) => entry.figure)).toEqual(["update", "zeros"]);
  });

  it("opens a layer as bands around its median", () => {
    const bands = bandsOf(LAYERS, 0, "bands", 100, 40);
    expect(bands?.areas).toEqual(["M0,0L100,0L100,40L0,40Z", "M0,10L100,10L100,30L0,30Z"]);
    expect(bands?.middle).toBe("M0,20L100,20");
    expect(bandsOf(LAYERS, 1, "bands", 100, 40)).toBeUndefined();
  });
});
