import GithubSlugger from "github-slugger";
import { describe, expect, it } from "vitest";
import { guideAddress, passage } from "../src/domain/guide";

const GUIDE = import.meta.glob<string>("../../docs/guide/*.md", {
  query: "?raw",
  import: "default",
  eager: true,
});
const SOURCE = import.meta.glob<string>("../src/**/*.tsx", { query: "?raw", import: "default", eager: true });

function passages(): Set<string> {
  const found = new Set<string>();
  for (const [path, text] of Object.entries(GUIDE)) {
    const page = path.slice(path.lastIndexOf("/") + 1, -3);
    const slugger = new GithubSlugger();
    for (const line of text.split("\n"))
      if (/^#+ /.test(line)) found.add(`${page}#${slugger.slug(line.replace(/^#+ /, ""))}`);
  }
  return found;
}

describe("the guide", () => {
  it("has every passage that a line of help names", () => {
    const there = passages();
    const named = Object.values(SOURCE)
      .flatMap((text) => [...text.matchAll(/guide="([^"]+)"/g)])
      .map((match) => match[1] ?? "");
    expect(named.length).toBeGreaterThan(15);
    expect(named.filter((name) => !there.has(name))).toEqual([]);
  });

  it("is addressed by its pages, whose files name each other", () => {
    expect(passage("training", "Warm-up")).toBe("training#warm-up");
    expect(guideAddress("variation.md")).toBe("/guide/variation");
    expect(guideAddress("training.md#seed")).toBe("/guide/training#seed");
    expect(guideAddress("README.md")).toBe("/guide/");
    expect(guideAddress("#seed")).toBe("#seed");
  });
});
