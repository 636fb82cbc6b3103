import { strToU8, zipSync } from "fflate";
import { describe, expect, test } from "vitest";
import { isWebAddress, picturesOf } from "../src/places/release/picking";

const made = (path: string, content: Uint8Array | string = "p") => ({
  path,
  file: new File([content as BlobPart], path.split("/").pop() ?? path),
});

describe("what is to be tried", () => {
  test("of many files the pictures alone, of a single one whatever it is", async () => {
    const found = await picturesOf([made("a/1.PNG"), made("a/notes.txt"), made("2.heic")]);
    expect(found.pictures.map(({ path }) => path)).toEqual(["a/1.PNG", "2.heic"]);
    expect(found.others).toBe(1);
    expect((await picturesOf([made("notes.txt")])).pictures).toHaveLength(1);
  });

  test("a zip's pictures keep their folders and bytes; what is hidden is none of them", async () => {
    const names = Array.from({ length: 70 }, (_, number) => `rime/${number}.png`);
    const members = Object.fromEntries(names.map((name) => [name, strToU8(name)]));
    const zip = zipSync({ ...members, "__MACOSX/rime/._0.png": strToU8("x"), "read.me": strToU8("x") });
    const { pictures, others } = await picturesOf([made("new.zip", zip), made("plate/9.jpg")]);
    expect(pictures.map(({ path }) => path)).toEqual([...names.map((name) => `new/${name}`), "plate/9.jpg"]);
    expect(await pictures[69]?.file.text()).toBe("rime/69.png");
    expect(pictures[69]?.file.name).toBe("69.png");
    expect(others).toBe(2);
  });

  test("tables go along with their pictures, from a zip too, and alone", async () => {
    const zip = zipSync({
      "1.png": strToU8("p"),
      "labels.csv": strToU8("file,class"),
      "._labels.csv": strToU8("x"),
    });
    const { pictures, tables, others } = await picturesOf([made("new.zip", zip), made("more.TSV")]);
    expect(pictures.map(({ path }) => path)).toEqual(["new/1.png"]);
    expect(tables.map(({ path }) => path)).toEqual(["new/labels.csv", "more.TSV"]);
    expect(others).toBe(1);
    expect((await picturesOf([made("labels.csv")])).tables).toHaveLength(1);
  });

  test("a zip without pictures, or cut off, is said to be so", async () => {
    const empty = made("dull.zip", zipSync({ "read.me": strToU8("x") }));
    await expect(picturesOf([empty])).rejects.toThrow("No picture lies in dull.zip.");
    const whole = zipSync({ "1.png": strToU8("p") });
    await expect(picturesOf([made("cut.zip", whole.subarray(0, 40))])).rejects.toThrow("cannot be opened");
  });

  test("an address is one of http or https", () => {
    expect(isWebAddress(" https://host.example/a.png ")).toBe(true);
    for (const other of ["", "a.png", "ftp://host/a", "https://", "see https://host.example/a.png"])
      expect(isWebAddress(other)).toBe(false);
  });
});
