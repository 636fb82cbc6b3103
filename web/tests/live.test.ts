import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { unhurried } from "../src/api/live";

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
