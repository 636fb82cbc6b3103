import { describe, expect, it } from "vitest";
import {
  answersAsCsv,
  countRight,
  isWrong,
  rowsByAnswer,
  sortedOut,
  type TriedFile,
  truthOf,
} from "../src/domain/tried";

const NAMES = ["needle", "plate", "rime"];

function file(path: string, probabilities: number[], error: string | null = null): TriedFile {
  return { key: path, path, answer: { error, probabilities, calibrated: [0.2, 0.3, 0.5], seconds: 0.00312 } };
}

const TRIED = [
  file("new/Plate/a.png", [0.1, 0.8, 0.1]),
  file("new/rime/b.png", [0.1, 0.6, 0.3]),
  file("c.png", [0.45, 0.3, 0.25]),
  file("new/plate/broken.png", [], "The picture is damaged."),
  file("=sum/plate/d,e.png", [0.05, 0.9, 0.05]),
];
const ASKED = { names: NAMES, calibrated: false, thresholdFor: () => 0.5 };

describe("many tried pictures", () => {
  it("have the class of the nearest folder that is called like one", () => {
    expect(truthOf("plate/rime/a.png", NAMES)).toBe("rime");
    expect(truthOf("Plate /other/a.png", NAMES)).toBe("plate");
    expect(truthOf("plates/a.png", NAMES)).toBeUndefined();
  });

  it("have the class that their name begins with where no folder says one", () => {
    expect(truthOf("new/Plate_0012.png", NAMES)).toBe("plate");
    expect(truthOf("rime3.png", NAMES)).toBe("rime");
    expect(truthOf("rime/plate 4.png", NAMES)).toBe("rime");
    expect(truthOf("plate-thick_1.png", [...NAMES, "plate-thick"])).toBe("plate-thick");
    for (const other of ["rimed.png", "0012_plate.png", "plateé.png", ""])
      expect(truthOf(other, NAMES)).toBeUndefined();
  });

  it("stand by their answers, what the model is unsure of first, the least sure first in each", () => {
    const rows = rowsByAnswer(sortedOut(TRIED, ASKED), NAMES);
    expect(rows.map((row) => [row.name, row.entries.map((entry) => entry.tried.key)])).toEqual([
      [undefined, ["c.png"]],
      ["plate", ["new/rime/b.png", "new/Plate/a.png", "=sum/plate/d,e.png"]],
    ]);
  });

  it("are counted where folders tell the truth", () => {
    const sorted = sortedOut(TRIED, ASKED);
    expect(countRight(sorted)).toEqual({ known: 3, right: 2 });
    expect(sorted.filter(isWrong).map((entry) => entry.tried.key)).toEqual(["new/rime/b.png"]);
  });

  it("are answered by calibrated probabilities where these are asked for", () => {
    expect(sortedOut(TRIED, { ...ASKED, calibrated: true })[0]?.order[0]?.name).toBe("rime");
  });

  it("become a table that no program takes for formulas", () => {
    expect(answersAsCsv(TRIED, ASKED).split("\n")).toEqual([
      "file,true,answer,p,runner_up,runner_up_p,unsure,seconds,error",
      "new/Plate/a.png,plate,plate,0.800000,needle,0.100000,no,0.0031,",
      "new/rime/b.png,rime,plate,0.600000,rime,0.300000,no,0.0031,",
      "c.png,,needle,0.450000,plate,0.300000,yes,0.0031,",
      "new/plate/broken.png,,,,,,,0.0031,The picture is damaged.",
      '"\'=sum/plate/d,e.png",plate,plate,0.900000,needle,0.050000,no,0.0031,',
      "",
    ]);
  });
});
