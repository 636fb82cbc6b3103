import { describe, expect, it } from "vitest";
import {
  canDivide,
  type Division,
  divisionOf,
  isAsProposed,
  judgingCounts,
  restOf,
  sharesWords,
  splitOrder,
} from "../src/domain/dividing";

const PROPOSED = { training: 0.7, validation: 0.15, test: 0.15 };
const fresh: Division = divisionOf(undefined, 200, PROPOSED);

describe("a division", () => {
  it("begins with the defaults", () => {
    expect(splitOrder(fresh)).toMatchObject({
      method: "random",
      together: "nothing",
      pattern: "",
      shares: { training: 0.7, validation: 0.15, test: 0.15 },
      numbers: null,
    });
  });
  it("is held against what is proposed, and says by how many pictures it judges", () => {
    expect(isAsProposed(fresh, PROPOSED)).toBe(true);
    expect(isAsProposed({ ...fresh, test: 20 }, PROPOSED)).toBe(false);
    expect(sharesWords({ training: 0.9, validation: 0.05, test: 0.05 })).toBe("90 / 5 / 5");
    expect(judgingCounts({ ...fresh, test: 20 }, 210)).toEqual({ validation: 32, test: 42 });
    const counted: Division = { ...fresh, by: "numbers" };
    expect(judgingCounts(counted, 500)).toMatchObject({ validation: 30, test: 30 });
    expect(restOf(counted, 200)).toBe(0);
  });
  it("needs something to train on", () => {
    expect(canDivide({ ...fresh, validation: 50, test: 49 }, 200)).toBe(true);
    expect(canDivide({ ...fresh, validation: 50, test: 50 }, 200)).toBe(false);
  });
  it("takes no more pictures than there are", () => {
    const counted: Division = {
      ...fresh,
      by: "numbers",
      numbers: { training: 150, validation: 40, test: 10 },
    };
    expect(restOf(counted, 200)).toBe(0);
    expect(canDivide(counted, 200)).toBe(true);
    expect(canDivide(counted, 199)).toBe(false);
    expect(splitOrder(counted).numbers).toEqual({ training: 150, validation: 40, test: 10 });
  });
  it("as the folders came knows neither numbers nor what stays together", () => {
    const folders: Division = { ...fresh, method: "folders", by: "numbers", together: "day" };
    expect(splitOrder(folders)).toMatchObject({ together: "nothing", numbers: null });
    expect(canDivide(folders, 0)).toBe(true);
  });
  it("keeps a pattern only where names are looked at", () => {
    const named: Division = { ...fresh, together: "pattern", pattern: "{group}-{any}" };
    expect(splitOrder(named).pattern).toBe("{group}-{any}");
    expect(splitOrder({ ...named, together: "day" }).pattern).toBe("");
  });
});
