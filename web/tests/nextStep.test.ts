import { describe, expect, it } from "vitest";
import type { ImportEntry, Job, Run } from "../src/api/client";
import { nextStep, type Standing } from "../src/domain/nextStep";

const EMPTY: Standing = { pictures: 0, classes: [], runs: [], imports: [], jobs: [] };
const step = (facts: Partial<Standing>) => nextStep({ ...EMPTY, ...facts });
const job = (kind: Job["kind"], state: Job["state"]) => ({ kind, state, title: "Bring in ridge" }) as Job;
const run = (facts: Partial<Run>) =>
  ({ number: 1, state: "ended", model: null, validation: null, ...facts }) as Run;

describe("the next useful thing to do", () => {
  it("leads from an empty project to pictures", () => {
    expect(step({})).toMatchObject({ action: "Bring pictures in", to: "rows/bring-in" });
    expect(step({ jobs: [job("import", "running")] })).toMatchObject({ action: "" });
    expect(step({ jobs: [job("import", "running")] }).text).toMatch(/^Bring in ridge: under way/);
    const planned = { id: 7, state: "planned", source_name: "ridge.zip", pictures: 9 } as ImportEntry;
    expect(step({ imports: [planned] })).toMatchObject({ to: "rows/bring-in/7" });
    // One in which nothing was found leaves nothing to decide.
    expect(step({ imports: [{ ...planned, pictures: 0 }] }).to).toBe("rows/bring-in");
    // A job that has ended is over, and whoever has pictures decides on further plans when they like.
    expect(step({ jobs: [job("import", "failed")] }).to).toBe("rows/bring-in");
    expect(step({ imports: [planned], pictures: 9, classes: [5, 4] }).to).toBe("runs");
  });

  it("asks for a second class, and shows what has none", () => {
    expect(step({ pictures: 9, classes: [] })).toMatchObject({
      action: "See the 9 unlabelled pictures",
      to: "rows?sift=unlabelled",
    });
    expect(step({ pictures: 9, classes: [9, 0] }).text).toMatch(/^All labelled pictures are of one class/);
    expect(step({ pictures: 9, classes: [9, 0] }).to).toBe("rows");
  });

  it("leads on to a first run, and waits for it", () => {
    expect(step({ pictures: 9, classes: [5, 4] })).toMatchObject({ to: "runs", here: "Press Train." });
    expect(step({ pictures: 9, classes: [5, 4], runs: [run({ state: "training" })] }).text).toMatch(
      /under way/,
    );
    expect(step({ pictures: 9, classes: [5, 4], runs: [run({ ended_by: "failed" })] }).action).toBe(
      "See what mends it",
    );
    expect(step({ pictures: 9, classes: [5, 4], runs: [run({ ended_by: "stopped" })] }).action).toBe(
      "Train again",
    );
  });
});
