import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { unhurried } from "../src/api/unhurried";
import { failureOf } from "../src/domain/failure";

describe("reading again after events", () => {
  beforeEach(() => {
    vi.useFakeTimers();
  });
  afterEach(() => {
    vi.useRealTimers();
  });

  it("gathers what comes at once into one reading", async () => {
    const read = vi.fn(async () => {});
    const ask = unhurried(read);
    for (let event = 0; event < 50; event++) ask();
    await vi.runAllTimersAsync();
    expect(read).toHaveBeenCalledTimes(1);
  });

  it("lets a slow reading end, and reads once more for what came meanwhile", async () => {
    let running = 0;
    let most = 0;
    const read = vi.fn(async () => {
      most = Math.max(most, ++running);
      await new Promise((resolve) => setTimeout(resolve, 6000));
      running--;
    });
    const ask = unhurried(read);
    ask();
    for (let event = 0; event < 40; event++) {
      await vi.advanceTimersByTimeAsync(100);
      ask();
    }
    await vi.runAllTimersAsync();
    expect(most).toBe(1);
    expect(read).toHaveBeenCalledTimes(2);
  });

  it("reads again for an event after the end", async () => {
    const read = vi.fn(async () => {});
    const ask = unhurried(read);
    ask();
    await vi.runAllTimersAsync();
    ask();
    await vi.runAllTimersAsync();
    expect(read).toHaveBeenCalledTimes(2);
  });
});

describe("a reading that failed", () => {
  const silent = Object.assign(new Error("The application does not answer."), { status: 0 });
  const gone = Object.assign(new Error("There is no project 3."), { status: 404 });

  it("leaves on show what was read before while the application does not answer", () => {
    expect(failureOf({ data: [1], error: silent })).toBeUndefined();
    expect(failureOf({ data: undefined, error: silent })).toBe(silent);
  });

  it("is said at once when what was read is gone", () => {
    expect(failureOf({ data: [1], error: gone })).toBe(gone);
    expect(failureOf({ data: [1], error: null })).toBeUndefined();
  });
});
