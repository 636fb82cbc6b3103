import { describe, expect, it } from "vitest";
import { importPaths } from "../src/domain/history";

describe("what was tried, on its way into the project", () => {
  it("lies in a folder of what it truly is, or with what is unlabelled", () => {
    expect(importPaths([{ path: "new/1.png", truth: "rime" }, { path: "2.png" }])).toEqual([
      "tried/rime/1.png",
      "tried/unlabelled/2.png",
    ]);
  });

  it("has no name twice, and no slash in a class", () => {
    const two = [
      { path: "a/1.png", truth: "x/y" },
      { path: "b/1.png", truth: "x/y" },
      { path: "1.png", truth: "x/y" },
    ];
    expect(importPaths(two)).toEqual(["tried/x_y/1.png", "tried/x_y/2-1.png", "tried/x_y/3-1.png"]);
  });
});
