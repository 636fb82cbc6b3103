import { describe, expect, it } from "vitest";
import { inTurn } from "../src/api/inTurn";

describe("steps of a window", () => {
  it("follow each other, and one that fails lets the next begin", async () => {
    const seen: string[] = [];
    const step = (name: string, ms: number, fails = false) =>
      inTurn(async () => {
        seen.push(`${name} begins`);
        await new Promise((resolve) => setTimeout(resolve, ms));
        seen.push(`${name} ends`);
        if (fails) throw new Error(name);
        return name;
      });
    const slow = step("note", 20, true);
    const quick = step("undo", 0);
    await expect(slow).rejects.toThrow("note");
    expect(await quick).toBe("undo");
    expect(seen).toEqual(["note begins", "note ends", "undo begins", "undo ends"]);
  });
});
