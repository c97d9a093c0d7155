import { beforeAll, describe, expect, it } from "vitest";
import { fromHalf, HALF_VALUES } from "../src/viewer/half";
import {
  grid,
  keyOf,
  levelFor,
  levelSize,
  numbered,
  type Pyramid,
  readAt,
  shownBox,
  type TileId,
  tileSize,
  tilesIn,
} from "../src/viewer/pyramid";
import { BINS, COLUMNS, LEAST_STOP, MOST_STOP, ROWS, scopeOf } from "../src/viewer/scopes";
import { type Halves, TileStore } from "../src/viewer/tiles";

const PICTURE: Pyramid = { digest: "a", width: 1000, height: 600, tile: 256, levels: 3 };
const SMALL: Pyramid = { digest: "s", width: 4, height: 2, tile: 4, levels: 1 };
const HALF = new Map<number, number>();
for (let bits = 0; bits < 0x7c00; bits++) HALF.set(fromHalf(bits), bits);

/** A number that a half float can hold, as its bits. */
function bits(value: number): number {
  const found = HALF.get(value);
  if (found === undefined) throw new Error(`${value} is no half float`);
  return found;
}

/** A tile of grey pixels; those of value null are invalid. */
function greys(values: readonly (number | null)[]): Halves {
  const halves = new Uint16Array(values.length * 4);
  values.forEach((value, place) => {
    halves.set(
      [bits(value ?? 0), bits(value ?? 0), bits(value ?? 0), bits(value === null ? 0 : 1)],
      place * 4,
    );
  });
  return halves;
}

/** A store whose tiles come when the test says so. */
function slow(mostBytes = 1 << 20) {
  const asked: string[] = [];
  const ends = new Map<string, { give: (halves: Halves) => void; fail: (why: Error) => void }>();
  const store = new TileStore((id) => {
    asked.push(keyOf(id));
    return new Promise((give, fail) => ends.set(keyOf(id), { give, fail }));
  }, mostBytes);
  const come = async (id: TileId, halves: Halves | Error) => {
    const end = ends.get(keyOf(id));
    if (halves instanceof Error) end?.fail(halves);
    else end?.give(halves);
    await new Promise((done) => setTimeout(done));
  };
  return { store, asked, come };
}

const at = (column: number, row = 0, level = 0): TileId => ({ pyramid: PICTURE, level, column, row });
const ONE = greys([1]);

describe("half floats", () => {
  it("are read as their standard says", () => {
    expect([0x3c00, 0xc000, 0x3555, 0x0001, 0x7bff].map(fromHalf)).toEqual([
      1,
      -2,
      Math.fround(0.333251953125),
      Math.fround(2 ** -24),
      65504,
    ]);
    expect(fromHalf(0x7c00)).toBe(Number.POSITIVE_INFINITY);
    expect(fromHalf(0xfc00)).toBe(Number.NEGATIVE_INFINITY);
    expect(fromHalf(0x7e00)).toBeNaN();
    expect(HALF_VALUES).toHaveLength(65536);
  });
});

describe("a pyramid", () => {
  it("halves each level and leaves small tiles at its ends", () => {
    expect([0, 1, 2].map((level) => levelSize(PICTURE, level))).toEqual([
      { width: 1000, height: 600 },
      { width: 500, height: 300 },
      { width: 250, height: 150 },
    ]);
    expect(grid(PICTURE, 0)).toEqual({ columns: 4, rows: 3 });
    expect(grid(PICTURE, 2)).toEqual({ columns: 1, rows: 1 });
    expect(tileSize(at(0))).toEqual({ width: 256, height: 256 });
    expect(tileSize(at(3, 2))).toEqual({ width: 232, height: 88 });
    expect(levelSize({ ...PICTURE, width: 1001 }, 1).width).toBe(501);
  });
  it("numbers the tiles of all levels one after another", () => {
    expect(numbered(PICTURE)).toEqual({ starts: [0, 12, 16], count: 17 });
  });
  it("is read at the smallest level that still has a pixel for each of the screen's", () => {
    expect([4, 1, 0.51, 0.5, 0.26, 0.25, 0.01].map((zoom) => levelFor(PICTURE, zoom))).toEqual([
      0, 0, 0, 1, 1, 2, 2,
    ]);
  });
  it("of another size than the frame is read at its own scale", () => {
    const large = readAt({ ...PICTURE, width: 2000, height: 1200 }, { width: 1000, height: 600 }, 1);
    expect(large.level).toBe(1);
    expect(large.scale).toEqual({ x: 1, y: 1 });
    expect(large.own).toBe(1);
    expect(readAt(PICTURE, PICTURE, 1, 1)).toEqual({ level: 1, scale: { x: 0.5, y: 0.5 }, own: 2 });
    expect(readAt(PICTURE, PICTURE, 0.01, 5).level).toBe(2);
  });
  it("gives the part that a pane shows, and so much around it", () => {
    const view = { x: 500, y: 300, zoom: 2 };
    expect(shownBox(view, { width: 200, height: 100 }, { x: 1, y: 1 })).toEqual({
      left: 450,
      right: 550,
      top: 275,
      bottom: 325,
    });
    expect(shownBox(view, { width: 200, height: 100 }, { x: 0.5, y: 0.5 }, 10).left).toBe(220);
  });
  it("names the tiles of a box, those in its middle first, and none beside the picture", () => {
    const found = tilesIn(PICTURE, 0, { left: 200, right: 700, top: 10, bottom: 100 });
    expect(found.map((id) => id.column)).toEqual([1, 2, 0]);
    expect(tilesIn(PICTURE, 0, { left: 256, right: 512, top: 256, bottom: 512 })).toHaveLength(1);
    expect(tilesIn(PICTURE, 0, { left: -500, right: -10, top: 0, bottom: 100 })).toEqual([]);
    expect(tilesIn(PICTURE, 0, { left: 1100, right: 1200, top: 0, bottom: 100 })).toEqual([]);
    expect(tilesIn(PICTURE, 2, { left: -50, right: 5000, top: -50, bottom: 5000 })).toHaveLength(1);
  });
});

describe("a store of tiles", () => {
  it("asks for six at once, in the order that was wanted, and for none twice", async () => {
    const { store, asked, come } = slow();
    const all = [0, 1, 2, 3].flatMap((column) => [at(column), at(column, 1)]);
    store.want(all);
    store.want(all);
    expect(asked).toEqual(all.slice(0, 6).map(keyOf));
    await come(at(0), ONE);
    expect(asked).toHaveLength(7);
    expect(store.get(at(0))).toBe(ONE);
    expect(store.get(at(1))).toBeUndefined();
  });
  it("forgets what was wanted before and is not under way, and takes what is needed first", async () => {
    const { store, asked, come } = slow();
    store.want([at(0), at(1), at(2), at(3), at(0, 1), at(1, 1), at(2, 1), at(3, 1)]);
    store.want([at(0, 2)]);
    store.need(at(1, 2));
    store.need(at(1, 2));
    await come(at(0), ONE);
    await come(at(1), ONE);
    await come(at(2), ONE);
    expect(asked.slice(6)).toEqual([at(1, 2), at(0, 2)].map(keyOf));
  });
  it("drops what was used longest ago when there is no more room", async () => {
    const { store, come } = slow(2 * ONE.byteLength);
    store.want([at(0), at(1), at(2)]);
    await come(at(0), ONE);
    await come(at(1), ONE);
    store.get(at(0));
    await come(at(2), ONE);
    expect([0, 1, 2].map((column) => store.get(at(column)) !== undefined)).toEqual([true, false, true]);
  });
  it("keeps one that is larger than all the room there is", async () => {
    const { store, come } = slow(4);
    store.want([at(0)]);
    await come(at(0), ONE);
    expect(store.get(at(0))).toBe(ONE);
  });
  it("says whether a tile has come without counting that as a use of it", async () => {
    const { store, come } = slow(32);
    store.want([at(0), at(1), at(2)]);
    await come(at(0), greys([1, 1]));
    await come(at(1), greys([1, 1]));
    expect([store.has(at(0)), store.has(at(2))]).toEqual([true, false]);
    await come(at(2), greys([1, 1]));
    expect([store.has(at(0)), store.has(at(1)), store.has(at(2))]).toEqual([false, true, true]);
  });
  it("says what could not be had, asks for it again only when told to, and goes on with the rest", async () => {
    const { store, asked, come } = slow();
    let heard = 0;
    const end = store.listen(() => {
      heard += 1;
    });
    store.want([at(0)]);
    await come(at(0), new Error("the server answered 503"));
    expect([store.failed(at(0)), store.failures, heard]).toEqual(["the server answered 503", 1, 1]);
    store.want([at(0), at(1)]);
    expect(asked).toEqual([at(0), at(1)].map(keyOf));
    store.retry();
    store.want([at(0)]);
    expect(asked).toHaveLength(3);
    expect([store.failed(at(0)), store.failures, heard]).toEqual([undefined, 0, 2]);
    end();
    await come(at(0), ONE);
    expect(heard).toBe(2);
  });
  it("reads a pixel, and says why there is none", async () => {
    const { store, come } = slow();
    const only: TileId = { pyramid: SMALL, level: 0, column: 0, row: 0 };
    expect(store.read(SMALL, { x: 4, y: 0 })).toEqual({ state: "outside" });
    expect(store.read(SMALL, { x: -0.1, y: 0 })).toEqual({ state: "outside" });
    expect(store.read(SMALL, { x: 0, y: 0 })).toEqual({ state: "waiting" });
    await come(only, greys([0, 0.25, 0.5, 1, 2, null, 4, 8]));
    expect(store.read(SMALL, { x: 1.9, y: 0.9 })).toEqual({ state: "there", value: [0.25, 0.25, 0.25] });
    expect(store.read(SMALL, { x: 2, y: 1 })).toEqual({ state: "there", value: [4, 4, 4] });
    expect(store.read(SMALL, { x: 1, y: 1 })).toEqual({ state: "invalid" });
  });
  it("says that a pixel's tile failed", async () => {
    const { store, come } = slow();
    store.read(SMALL, { x: 0, y: 0 });
    await come({ pyramid: SMALL, level: 0, column: 0, row: 0 }, new Error("gone"));
    expect(store.read(SMALL, { x: 0, y: 0 })).toEqual({ state: "failed" });
  });
});

describe("the spread of what is in view", () => {
  beforeAll(() => {
    Object.assign(globalThis, { devicePixelRatio: 1 });
  });
  const view = { x: 2, y: 1, zoom: 100 };
  const pane = { width: 400, height: 200 };
  const binOf = (stop: number) => Math.floor(((stop - LEAST_STOP) / (MOST_STOP - LEAST_STOP)) * BINS);
  async function spread(values: readonly (number | null)[], exposure = 0, seen = view) {
    const { store, come } = slow();
    const only: TileId = { pyramid: SMALL, level: 0, column: 0, row: 0 };
    store.want([only]);
    await come(only, greys(values));
    return scopeOf(store, SMALL, SMALL, pane, seen, exposure);
  }
  it("is not known before a tile is there, nor of invalid pixels alone", async () => {
    expect(scopeOf(slow().store, SMALL, SMALL, pane, view, 0)).toBeNull();
    expect(await spread(new Array(8).fill(null))).toBeNull();
  });
  it("counts shares by stops from display white", async () => {
    const found = await spread([0.25, 0.25, 0.25, 0.25, 1, 2, null, 0]);
    expect(found?.histogram[binOf(-2)]).toBeCloseTo(4 / 7);
    expect(found?.histogram[binOf(0)]).toBeCloseTo(1 / 7);
    expect(found?.histogram[binOf(1)]).toBeCloseTo(1 / 7);
    expect(found?.white).toBeCloseTo(2 / 7);
  });
  it("moves with the exposure", async () => {
    const found = await spread([0.25, 0.25, 0.25, 0.25, 0.25, 0.25, 0.25, 0.25], 2);
    expect(found?.histogram[binOf(0)]).toBeCloseTo(1);
    expect(found?.white).toBe(1);
  });
  it("keeps what is darker or brighter than its scale within it", async () => {
    const found = await spread([65504, 65504, 65504, 65504, 2 ** -14, 2 ** -14, 2 ** -14, 2 ** -14]);
    expect(found?.histogram[BINS - 1]).toBeCloseTo(0.5);
    expect(found?.histogram.reduce((sum, share) => sum + share)).toBeCloseTo(0.5);
  });
  it("tells by column where it is bright, brightest on top", async () => {
    const found = await spread([1, 0.25, 0.25, 0.25, 1, 0.25, 0.25, 0.25]);
    const rowOf = (stop: number) =>
      ROWS - 1 - Math.floor(((stop - LEAST_STOP) / (MOST_STOP - LEAST_STOP)) * ROWS);
    expect(rowOf(0)).toBeLessThan(rowOf(-2));
    expect(found?.waveform[rowOf(0) * COLUMNS]).toBe(1);
    expect(found?.waveform[rowOf(-2) * COLUMNS + COLUMNS / 2]).toBe(1);
    expect(found?.waveform[rowOf(0) * COLUMNS + COLUMNS / 2]).toBe(0);
  });
  it("is of the part in view alone", async () => {
    const found = await spread([1, 0.25, 0.25, 0.25, 1, 0.25, 0.25, 0.25], 0, { x: 3, y: 1, zoom: 200 });
    expect(found?.white).toBe(0);
    expect(found?.histogram[binOf(-2)]).toBeCloseTo(1);
  });
});
