import { describe, expect, it } from "vitest";
import {
  becomes,
  comparedWords,
  factsWords,
  firstNames,
  namesMistake,
  numbersOf,
} from "../src/domain/networkFile";

const FACTS = {
  producer: "",
  opset: 17,
  size: 32,
  channels: 3,
  outputs: 4,
  softmax: true,
  parameters: 1200,
};

describe("a network file", () => {
  it("is said in words, as far as it is known", () => {
    expect(factsWords(FACTS)).toBe(
      "Opset 17. It takes colour pictures of 32 × 32 pixels, tells 4 classes apart, and ends with a softmax, which is taken off and put behind again. 1,200 parameters.",
    );
    expect(factsWords({ ...FACTS, size: 0, outputs: 0, channels: 1, producer: "ridge 2" })).toBe(
      "Written by ridge 2, opset 17. It takes grey pictures of any size.",
    );
  });

  it("answers as its graph does, or does not", () => {
    expect(comparedWords(2e-7, 32, 1e-4)).toMatch(/^It answers as its own graph.*2\.0e-7.*allowed 1e-4/);
    expect(comparedWords(0.3, 1, 1e-4)).toMatch(
      /^It answers otherwise.*1 picture is 3\.0e-1.*not brought in/,
    );
  });
});

describe("numbers that are typed", () => {
  it("are as many as there are channels", () => {
    expect(numbersOf("0.5, 0.4 0.3", 3)).toEqual([0.5, 0.4, 0.3]);
    expect(numbersOf("0.5", 3)).toBeUndefined();
    expect(numbersOf("0.5, x, 1", 3)).toBeUndefined();
  });
});

describe("classes of outputs", () => {
  const project = [{ name: "needle" }, { name: "plate" }];

  it("are first what the file says, else the project's where it has as many", () => {
    expect(firstNames(2, ["a", "b"], project)).toEqual(["a", "b"]);
    expect(firstNames(2, [], project)).toEqual(["needle", "plate"]);
    expect(firstNames(3, [], project)).toEqual(["", "", ""]);
  });

  it("need a name each, and different ones", () => {
    expect(namesMistake(["a", " "])).toMatch("each output");
    expect(namesMistake(["Rime", "rime "])).toMatch("same class");
    expect(namesMistake(["rime", "plate"])).toBe("");
  });

  it("become the project's, or new ones", () => {
    expect(becomes("Needle", project)).toBe("this project's class");
    expect(becomes("graupel", project)).toBe("a new class");
    expect(becomes("", project)).toBe("");
  });
});
