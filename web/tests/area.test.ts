import { describe, expect, it } from "vitest";
import {
  type Area,
  areaFrom,
  areaWords,
  back,
  boxBetween,
  boxPolygon,
  byDoubt,
  doubtWords,
  draftOf,
  forth,
  isWhole,
  moved,
  outsidePath,
  pointsText,
  ruleFor,
  stepped,
  storable,
  stretched,
  WHOLE,
  without,
  withRule,
} from "../src/domain/area";

const area: Area = {
  keep: [0.1, 0.2, 0.6, 0.7],
  margin: null,
  covered: [
    [
      [0, 0],
      [0.5, 0],
      [0, 0.5],
    ],
  ],
  fill: null,
};

describe("a drawn area", () => {
  it("is the box between two corners, whichever way it was dragged", () => {
    expect(boxBetween([0.8, 0.1], [0.2, 0.5])).toEqual([0.2, 0.1, 0.8, 0.5]);
    expect(boxBetween([-0.4, 0.1], [1.7, 0.5])).toEqual([0, 0.1, 1, 0.5]);
    expect(boxBetween([0.2, 0.1], [0.204, 0.9])).toBeUndefined();
  });

  it("is moved and stretched no further than to the picture's sides", () => {
    expect(moved(area, "keep", 0.1, -0.1).keep).toEqual([0.2, 0.1, 0.7, 0.6]);
    expect(moved(area, "keep", 9, -9).keep).toEqual([0.5, 0, 1, 0.5]);
    expect(moved(area, 0, 0.25, 0).covered[0]).toEqual([
      [0.25, 0],
      [0.75, 0],
      [0.25, 0.5],
    ]);
    expect(stretched(area, "keep", 9, 0.1).keep).toEqual([0.1, 0.2, 1, 0.8]);
    expect(stretched(area, "keep", -9, -9).keep).toEqual([0.1, 0.2, 0.11, 0.21]);
    expect(stretched(area, 0, 0.5, 0).covered[0]?.[1]).toEqual([1, 0]);
    expect(moved({ ...area, keep: null }, "keep", 1, 1).keep).toBeNull();
  });

  it("loses the part that is taken out", () => {
    expect(without(area, "keep").keep).toBeNull();
    expect(without(area, 0).covered).toEqual([]);
    expect(isWhole(without(without(area, 0), "keep"))).toBe(true);
  });

  it("goes back and forth by steps, and a new one ends what lay ahead", () => {
    const one = stepped(draftOf(WHOLE), area);
    const two = stepped(one, without(area, 0));
    expect(back(two).area).toEqual(area);
    expect(back(back(two)).area).toEqual(WHOLE);
    expect(back(draftOf(area)).area).toEqual(area);
    expect(forth(back(two)).area).toEqual(without(area, 0));
    expect(forth(stepped(back(two), WHOLE)).area).toEqual(WHOLE);
  });

  it("is told in words", () => {
    expect(areaWords(area)).toBe("10 % to 60 % sideways, 20 % to 70 % down, 1 part covered by its mean");
    expect(areaWords({ ...WHOLE, margin: 0.08 })).toBe("what stands out, with 8 % around it");
    expect(areaWords({ ...WHOLE, covered: area.covered, fill: [255, 0, 10] })).toBe(
      "the whole picture, 1 part covered by #ff000a",
    );
    expect(areaWords(areaFrom(null))).toBe("the whole picture");
  });

  it("comes back from what is stored", () => {
    expect(areaFrom(storable(area))).toEqual(area);
    expect(areaFrom(storable(WHOLE))).toEqual(WHOLE);
  });

  it("is drawn as what lies outside of it, and as corners", () => {
    expect(outsidePath([0.1, 0.2, 0.6, 0.7])).toBe("M0 0H1V1H0ZM0.1 0.2V0.7H0.6V0.2Z");
    expect(pointsText(boxPolygon([0, 0, 1, 0.5]))).toBe("0,0 1,0 1,0.5 0,0.5");
  });
});

describe("rules", () => {
  it("keep the one for all pictures last", () => {
    const all = withRule([], "", area);
    const both = withRule(all, "width>20", WHOLE);
    expect(both.map((rule) => rule.sift)).toEqual(["width>20", ""]);
    expect(withRule(both, "width<9", area).map((rule) => rule.sift)).toEqual(["width<9", "width>20", ""]);
    expect(withRule(both, "", WHOLE).map((rule) => rule.sift)).toEqual(["width>20"]);
    const changed = withRule(both, "width>20", area);
    expect(changed.map((rule) => rule.sift)).toEqual(["width>20", ""]);
    expect(areaFrom(changed[0]?.area)).toEqual(area);
    expect([ruleFor(""), ruleFor("width>20")]).toEqual(["all pictures", "pictures with width>20"]);
  });
});

describe("what is found", () => {
  const found = [
    { picture_id: 1, box: [0, 0, 1, 1], doubt: 0.1, why: "" },
    { picture_id: 2, box: null, doubt: 1, why: "nothing does: counts whole" },
    { picture_id: 3, box: [0, 0, 1, 1], doubt: 0.5, why: "reaches the edge" },
  ];

  it("stands with the likeliest wrong first, and is counted", () => {
    expect(byDoubt(found).map((entry) => entry.picture_id)).toEqual([2, 3, 1]);
    expect(doubtWords(found)).toBe("3 pictures looked at, 2 doubtful");
    expect(doubtWords(found.slice(0, 1))).toBe("1 picture looked at, none of them doubtful");
  });
});
