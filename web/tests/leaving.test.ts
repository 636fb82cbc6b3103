import { describe, expect, it, vi } from "vitest";
import { signalOfLeaving } from "../src/api/leaving";

describe("leaving a page", () => {
  it("lets go of its requests, and loads it anew only if it had been put aside", () => {
    const page = new EventTarget();
    const reload = vi.fn();
    const signal = signalOfLeaving(page, reload);
    page.dispatchEvent(Object.assign(new Event("pageshow"), { persisted: false }));
    expect([signal.aborted, reload.mock.calls.length]).toEqual([false, 0]);
    page.dispatchEvent(new Event("pagehide"));
    expect([signal.aborted, reload.mock.calls.length]).toEqual([true, 0]);
    page.dispatchEvent(Object.assign(new Event("pageshow"), { persisted: true }));
    expect(reload).toHaveBeenCalledOnce();
  });
});
