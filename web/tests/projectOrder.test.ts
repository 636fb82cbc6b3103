import { describe, expect, it } from "vitest";
import type { Project } from "../src/api/client";
import { listed } from "../src/domain/projectOrder";

const project = (id: number, name: string, worked_at: string): Project => ({
  id,
  name,
  description: "",
  worked_at,
  created_at: "2026-01-01T00:00:00Z",
  deleted_at: null,
  archived_at: null,
  pictures: 0,
  classes: 0,
  runs: 0,
});

describe("the list of projects", () => {
  const all = [
    project(1, "ridge 10", "2026-03-01T10:00:00Z"),
    project(2, "Ridge 9", "2026-03-02T10:00:00Z"),
    project(3, "Valley", "2026-03-02T10:00:00Z"),
  ];
  const ids = (...asked: [order: "worked" | "name", sought: string]) =>
    listed(all, ...asked).map((entry) => entry.id);

  it("has what was worked on last first, and numbers in names by their size", () => {
    expect(ids("worked", "")).toEqual([3, 2, 1]);
    expect(ids("name", "")).toEqual([2, 1, 3]);
  });

  it("is sought by a part of the name, whatever the case", () => {
    expect(ids("worked", " RIDGE ")).toEqual([2, 1]);
    expect(ids("name", "glacier")).toEqual([]);
  });
});
