import { describe, expect, it } from "vitest";
import {
  askedWords,
  exampleOf,
  modelsWords,
  rateWords,
  refusedWords,
  servingWords,
  visitLink,
} from "../src/domain/served";
import { linkOf } from "../src/visit/asking";

describe("how a served model is asked", () => {
  it("names its address, and keeps the token out of what is typed", () => {
    for (const kind of ["curl", "python"] as const) {
      const text = exampleOf(kind, "http://127.0.0.1:8430", "ridge-station");
      expect(text).toContain("http://127.0.0.1:8430/models/ridge-station/predict");
      expect(text).toContain("ORCHARD_TOKEN");
    }
  });
});

describe("a visitor's link", () => {
  it("has the token in its fragment, which no server is sent", () => {
    const link = new URL(visitLink("https://ridge.example", "ridge-station", "orchard_a-b"));
    expect([link.pathname, link.hash]).toEqual(["/visit/ridge-station", "#orchard_a-b"]);
    expect(linkOf(link.pathname, link.hash)).toEqual({ slug: "ridge-station", token: "orchard_a-b" });
    expect(linkOf("/visit/ridge-station", "")).toBeUndefined();
    expect(linkOf("/visit/../models", "#x")).toBeUndefined();
  });
});

describe("a token", () => {
  const served = [{ slug: "ridge", name: "Ridge Station", project_id: 3 }];

  it("asks every model, or those that it names, in use or not", () => {
    expect(modelsWords({ offers: null, per_minute: null }, served)).toBe("every model");
    const offers = [
      { project: 3, name: "ridge station" },
      { project: 4, name: "ridge station" },
    ];
    expect(modelsWords({ offers, per_minute: null }, served)).toBe(
      "Ridge Station; ridge station, not in use",
    );
  });

  it("asks so much", () => {
    expect(rateWords({ offers: null, per_minute: null })).toBe("as there is room");
    expect(rateWords({ offers: null, per_minute: 1 })).toBe("1 picture a minute");
  });
});

describe("figures of use", () => {
  it("say how much was asked, how soon it was answered, and what was refused", () => {
    const figures = { requests: 12, pictures: 40, unsure: 10, answers: {}, within_s: 0.03 };
    expect(askedWords(figures)).toBe(
      "40 pictures in 12 requests, nineteen of twenty within 30 ms; 25 % unsure",
    );
    expect(askedWords({ ...figures, within_s: null, requests: 1, pictures: 1, unsure: 0 })).toBe(
      "1 picture in 1 request; 0 % unsure",
    );
    expect(refusedWords({ "401": 3, "418": 1 })).toBe("Refused: 3 without a token, 1 told 418.");
    expect(refusedWords({})).toBe("");
  });
});

describe("the serving process", () => {
  const whole = { address: "http://127.0.0.1:8430", answers: true, open: false, models: [1] };

  it("is said to serve, to start, or to have nothing to serve", () => {
    expect(servingWords(whole)).toMatch(/^1 model served at http.*this machine alone/);
    expect(servingWords({ ...whole, open: true })).toMatch(/let in by a token/);
    expect(servingWords({ ...whole, answers: false })).toMatch(/being started/);
    expect(servingWords({ ...whole, models: [] })).toMatch(/No model is in use/);
    expect(servingWords({ ...whole, address: "" })).toMatch(/SERVING_PORT is 0/);
  });
});
