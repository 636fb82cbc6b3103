import { describe, expect, it } from "vitest";
import { TileStore, tilesPerSheet } from "../src/domain/tileStore";

/** A server that answers when it is told to. */
function desk(side = 200) {
  const asked: (readonly number[])[] = [];
  const answers: (() => void)[] = [];
  const closed: number[] = [];
  const store = new TileStore(
    side,
    (ids, tile, columns) => {
      asked.push(ids);
      const height = tile * Math.ceil(ids.length / columns);
      const image = { width: tile * columns, height, close: () => closed.push(ids[0] ?? -1) };
      return new Promise((resolve) => answers.push(() => resolve(image as unknown as ImageBitmap)));
    },
    () => {},
  );
  const answer = async () => {
    answers.shift()?.();
    for (let turn = 0; turn < 8; turn++) await Promise.resolve();
  };
  return { store, asked, answer, closed };
}

const range = (from: number, to: number) => Array.from({ length: to - from }, (_, n) => from + n);

describe("tiles", () => {
  it("asks for what is on show and lacking, two sheets at a time, nothing twice", async () => {
    const { store, asked, answer } = desk();
    const tiles = tilesPerSheet(200);
    store.want(range(0, 3 * tiles));
    store.want(range(0, 3 * tiles));
    expect(asked).toEqual([range(0, tiles), range(tiles, 2 * tiles)]);
    await answer();
    expect(asked[2]).toEqual(range(2 * tiles, 3 * tiles));
    expect(store.get(5)).toMatchObject({ x: 200, y: 200 });
    expect(store.get(2 * tiles)).toBeUndefined();
    await answer();
    await answer();
    expect(range(0, 3 * tiles).every((id) => store.get(id))).toBe(true);
  });

  it("leaves out what scrolled by before it was asked for", async () => {
    const { store, asked, answer } = desk();
    const tiles = tilesPerSheet(200);
    store.want(range(0, 5 * tiles));
    store.want(range(900, 902));
    await answer();
    expect(asked).toHaveLength(3);
    expect(asked[2]).toEqual([900, 901]);
  });

  it("makes room by letting the oldest go", async () => {
    const { store, answer, closed } = desk();
    const tiles = tilesPerSheet(200);
    for (let sheet = 0; sheet < 45; sheet++) {
      store.want(range(sheet * tiles, (sheet + 1) * tiles));
      await answer();
    }
    expect(closed.length).toBeGreaterThan(0);
    expect(closed[0]).toBe(0);
    expect(store.get(0)).toBeUndefined();
    expect(store.get(44 * tiles)).toBeDefined();
  });

  it("after it was closed keeps nothing", async () => {
    const { store, answer, closed } = desk();
    store.want([1, 2]);
    store.close();
    await answer();
    expect(closed).toEqual([1]);
    expect(store.get(1)).toBeUndefined();
  });
});
