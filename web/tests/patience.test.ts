import { afterEach, describe, expect, it, vi } from "vitest";
import type { Job } from "../src/api/client";
import { comeAgain, patientFetch } from "../src/api/patience";
import { arrivingWords, jobWords, trayWords } from "../src/domain/jobs";

const busy = () => new Response("{}", { status: 503, headers: { "Retry-After": "0" } });

afterEach(() => vi.unstubAllGlobals());

describe("patience", () => {
  it("asks again as long as it is asked to come again", async () => {
    const bodies: string[] = [];
    let left = 3;
    vi.stubGlobal("fetch", async (request: Request) => {
      bodies.push(await request.text());
      return left-- ? busy() : new Response("done");
    });
    const asked = new Request("http://127.0.0.1/api/labels", { method: "POST", body: "x" });
    expect(await (await patientFetch(asked)).text()).toBe("done");
    expect(bodies).toEqual(["x", "x", "x", "x"]);
  });

  it("gives up in the end, and takes every other answer as it is", async () => {
    let asked = 0;
    vi.stubGlobal("fetch", async () => {
      asked++;
      return busy();
    });
    expect((await patientFetch("http://127.0.0.1/")).status).toBe(503);
    expect(asked).toBe(6);
    expect(comeAgain(new Response(null, { status: 503 }))).toBeUndefined();
    expect(comeAgain(new Response(null, { status: 500, headers: { "Retry-After": "1" } }))).toBeUndefined();
    expect(
      comeAgain(new Response(null, { status: 503, headers: { "Retry-After": "soon" } })),
    ).toBeUndefined();
    expect(comeAgain(new Response(null, { status: 503, headers: { "Retry-After": "2" } }))).toBe(2);
  });
});

describe("work that is put off", () => {
  const job = { state: "waiting", stage: "The disk is full. Make room there." } as Job;

  it("says what it waits for, and is told from what waits for its turn", () => {
    expect(jobWords(job)).toBe("The disk is full. Make room there. It goes on by itself then.");
    expect(jobWords({ ...job, stage: "" })).toBe("Waiting for a free worker");
    expect(trayWords([job, { ...job, stage: "" }])).toBe("1 waiting, 1 put off");
    expect(arrivingWords(job)).toBe("an import is put off, see the tray");
  });
});
