import { describe, expect, it } from "vitest";
import type { Offer } from "../src/api/client";
import { agreementWords, byName, rightWords } from "../src/domain/offers";

function offer(name: string, version: number, state: Offer["state"], used_at: string | null = null): Offer {
  return {
    id: version,
    name,
    version,
    state,
    used_at,
    validation: { accuracy: 0.9512, accuracy_interval: [0.91, 0.976], count: 206 },
  } as unknown as Offer;
}

describe("models on offer", () => {
  const offers = [
    offer("Station", 3, "in_use", "2026-11-03T00:00:00Z"),
    offer("station", 2, "put_away", "2026-11-02T00:00:00Z"),
    offer("Station", 1, "put_away", "2026-11-01T00:00:00Z"),
    offer("Valley", 1, "tried"),
  ];

  it("stand by name, with the version that would be used again", () => {
    const [station, valley] = byName(offers);
    expect([station?.name, station?.versions.length, station?.former?.version]).toEqual(["Station", 3, 2]);
    expect([valley?.name, valley?.former]).toEqual(["Valley", undefined]);
    expect(byName([])).toEqual([]);
  });

  it("say how often they were right, and on what", () => {
    expect(rightWords(offer("x", 1, "tried"))).toBe("0.951 (0.910 to 0.976) on 206 validation pictures");
    expect(rightWords({ ...offer("x", 1, "tried"), validation: null })).toBe("not judged on validation");
  });

  it("say whether they still agree", () => {
    const found = { pictures: 32, max_abs_difference: 1.2e-7, changed: 0, agrees: true, digest: null };
    expect(agreementWords(found)).toBe(
      "It still answers as it did on 32 stored pictures: the largest difference of any probability is 1.2e-7.",
    );
    expect(agreementWords({ ...found, agrees: false, changed: 3, max_abs_difference: 0.4 })).toContain(
      "It answers otherwise than it did on 32 stored pictures: 3 answers are others",
    );
  });
});
