import { describe, expect, it } from "vitest";
import { grouped } from "../src/parts/grouped";
import { digits, fixed, signed, three } from "../src/parts/numbers";
import { addressOf, type Cell, exposureWords, nameOf, shapeOf, wordsOf } from "../src/screens/contact/cells";
import { sorted, sourceTitle } from "../src/screens/imports/sources";
import { addressOf as mapAddress, sentenceOf } from "../src/screens/measures/standing";
import { differenceWords, placesWords, quotientWords } from "../src/screens/pair/figureWords";
import { isSigned, readAs, sharedRange } from "../src/viewer/layers";
import { cut, type Polygon, WHOLE_PANE, within } from "../src/viewer/polygon";
import { digestsOf, frameOf, passesOf, resolved, type Viewed } from "../src/viewer/viewed";

describe("numbers", () => {
  it("have three digits, a point, and no grouping", () => {
    expect([0, 0.012345, 1.2345, 123.45, 12345, 1e7].map(three)).toEqual([
      "0",
      "0.0123",
      "1.23",
      "123",
      "12300",
      "10000000",
    ]);
    expect(three(Number.NaN)).toBe("not finite");
    expect(digits(0.5, 2)).toBe("0.50");
    expect(fixed(2, 1)).toBe("2.0");
  });
  it("say the sign of a shift, and none of what rounds to nothing", () => {
    expect([0.25, -1, 0, -0.0001].map((value) => signed(value, 3))).toEqual([
      "+0.250",
      "−1.000",
      "0.000",
      "0.000",
    ]);
  });
});

describe("a polygon", () => {
  const area = (polygon: Polygon) =>
    polygon.reduce((sum, from, place) => {
      const to = polygon[(place + 1) % polygon.length] ?? from;
      return sum + (from.x * to.y - to.x * from.y) / 2;
    }, 0);
  it("is cut along a line, both parts being the whole", () => {
    const left = cut(WHOLE_PANE, (at) => 0.25 - at.x);
    const right = cut(WHOLE_PANE, (at) => at.x - 0.25);
    expect(area(left)).toBeCloseTo(0.25);
    expect(area(left) + area(right)).toBeCloseTo(1);
    expect(area(cut(WHOLE_PANE, (at) => at.x - at.y))).toBeCloseTo(0.5);
  });
  it("stays as it is on one side and is nothing on the other", () => {
    expect(cut(WHOLE_PANE, (at) => at.x + 1)).toEqual(WHOLE_PANE);
    expect(cut(WHOLE_PANE, (at) => at.x - 2)).toEqual([]);
  });
  it("is kept within a box", () => {
    expect(area(within(WHOLE_PANE, { left: 0.5, right: 2, top: -1, bottom: 0.5 }))).toBeCloseTo(0.25);
    expect(within(WHOLE_PANE, { left: 2, right: 3, top: 0, bottom: 1 })).toEqual([]);
  });
});

describe("maps of both sides", () => {
  it("share one scale, even around nothing where values have a sign", () => {
    const ends = [
      { low: -0.5, high: 0.2 },
      { low: -0.1, high: 0.3 },
    ];
    expect(sharedRange(ends, true)).toEqual([-0.5, 0.5]);
    expect(sharedRange([{ low: 0, high: 2 }], false)).toEqual([0, 2]);
    expect(sharedRange([{ low: null, high: null }], true)).toEqual([-1, 1]);
  });
  it("read a ratio from its logarithm", () => {
    expect([isSigned("ratio"), isSigned("signed"), readAs("ratio", -1), readAs("signed", -1)]).toEqual([
      true,
      true,
      0.5,
      -1,
    ]);
  });
});

describe("pictures in the viewer", () => {
  const picture = (key: string, passes: Record<string, string> = {}, shown = key): Viewed => ({
    key,
    title: key,
    side: null,
    picture: shown,
    passes,
    note: "",
  });
  const pyramid = (digest: string, width = 320) => ({ digest, width, height: 180, tile: 256, levels: 2 });
  const both = [picture("a", { light: "al", depth: "ad" }), picture("b", { light: "bl" })];
  const known = new Map([
    ["a", { pyramid: pyramid("a"), trouble: "" }],
    ["al", { pyramid: pyramid("al", 160), trouble: "" }],
    ["b", { pyramid: null, trouble: "It was let go." }],
  ]);
  it("are asked for by what is shown and what is laid over it", () => {
    expect(digestsOf(both, "", "")).toEqual(["a", "", "b", ""]);
    expect(digestsOf(both, "depth", "light")).toEqual(["ad", "al", "", "bl"]);
    expect(passesOf(both)).toEqual(["depth", "light"]);
  });
  it("say what keeps them from being shown", () => {
    const troubles = (pass: string, over: string) =>
      resolved(both, known, pass, over).map((each) => each.trouble);
    expect(troubles("", "")).toEqual(["", "It was let go."]);
    expect(troubles("depth", "")).toEqual(["", "It has no pass depth."]);
    expect(troubles("", "depth")).toEqual(["", "It was let go."]);
    expect(troubles("light", "depth")).toEqual(["", "It has no pass depth to lay over it."]);
    expect(resolved([picture("c", {}, "")], known, "", "")[0]?.trouble).toBe("It has no picture.");
  });
  it("are all shown at the size of the first that is known", () => {
    expect(frameOf(resolved(both, known, "", ""))).toEqual({ width: 320, height: 180 });
    expect(frameOf(resolved(both, known, "depth", ""))).toBeNull();
  });
});

describe("a contact sheet's cell", () => {
  const CELL = {
    picture: "abc",
    box: [10, 20, 40, 30],
    width: 320,
    height: 180,
    state: "there",
    seconds: 1.234,
    basis: "wall",
    noise_percent: 5.678,
    noise_method: "twin",
  } as unknown as Cell;
  it("asks for its part at no more pixels than it has on the screen", () => {
    const asked = new URLSearchParams(addressOf(CELL, "sRGB", 1.5, 300.4).split("?")[1]);
    expect(Object.fromEntries(asked)).toEqual({
      transform: "sRGB",
      exposure: "1.5",
      x: "10",
      y: "20",
      width: "40",
      height: "30",
      most: "300",
    });
    expect(addressOf({ ...CELL, box: null } as Cell, "sRGB", 0, 9000)).toMatch(/exposure=0&most=1600$/);
    expect(addressOf(CELL, "sRGB", 0, 1)).toMatch(/most=16$/);
  });
  it("has the shape of what it shows", () => {
    expect(shapeOf(CELL)).toBeCloseTo(4 / 3);
    expect(shapeOf({ ...CELL, box: null } as Cell)).toBeCloseTo(16 / 9);
  });
  it("says time and noise, what is a guess, and why it is empty", () => {
    expect(wordsOf(CELL)).toBe("1.23 s, noise 5.68 %");
    expect(wordsOf({ ...CELL, basis: "cpu", noise_method: "single" } as Cell)).toBe(
      "1.23 s CPU, noise 5.68 % (guess)",
    );
    expect(wordsOf({ ...CELL, seconds: null, noise_percent: null } as Cell)).toBe(
      "time not known, noise not measured",
    );
    expect(wordsOf({ ...CELL, picture: "", state: "no such zone" } as Cell)).toBe(
      "no such zone on this view",
    );
    expect(nameOf(CELL, "whole", "16 samples")).toBe("Whole picture, 16 samples: 1.23 s, noise 5.68 %");
    expect(exposureWords(-1)).toBe("−1.0 EV");
  });
});

describe("what the measures say first", () => {
  type Table = Parameters<typeof sentenceOf>[0];
  const row = (title: string, standing: string, zone = "whole", value: number | null = 1, old = false) => ({
    title,
    zone,
    pair: 7,
    cells: { noise: { value, standing, out_of_date: old } },
  });
  const said = (...rows: ReturnType<typeof row>[]) => sentenceOf({ rows } as unknown as Table);
  it("is which has the least noise, or that none can be told to", () => {
    expect(said()).toMatch(/^Nothing is measured yet/);
    expect(said(row("a", "", "whole", null))).toMatch(/^Nothing is measured yet/);
    expect(said(row("sixteen", "best"), row("four", ""))).toBe(
      "Sixteen has the least noise over the whole picture.",
    );
    expect(said(row("a", "tie"), row("b", "tie"), row("c", ""))).toBe(
      "2 options share the least noise over the whole picture: no difference between them.",
    );
    expect(said(row("a", ""), row("b", ""))).toMatch(/^No option can be told/);
    expect(said(row("a", "best", "shelf"), row("b", "", "shelf"))).toBe("A has the least noise in shelf.");
    expect(said(row("a", "best"), row("b", "best"))).toMatch(/^At each place another/);
  });
  it("tells how many rows are out of date", () => {
    expect(said(row("a", "best", "whole", 1, true), row("b", ""))).toMatch(/ 1 of 2 rows are out of date/);
  });
  it("leads to the map that shows a figure, at its zone", () => {
    const address = (zone: string) => mapAddress({ pair: 7, zone } as never, { layer: "noise" } as never);
    expect([address("whole"), address("shelf")]).toEqual([
      "/pairs/7?map=noise",
      "/pairs/7?map=noise&zone=shelf",
    ]);
  });
});

describe("renders that come in", () => {
  it("are parted into pictures and the table beside them", () => {
    const files = ["a.exr", "Times.CSV", "b.exr"].map((name) => new File([], name));
    const found = sorted(files);
    expect(found.pictures.map((file) => file.name)).toEqual(["a.exr", "b.exr"]);
    expect(found.table?.name).toBe("Times.CSV");
    expect(sorted([]).table).toBeNull();
  });
  it("are called by their folder, or by the first of them", () => {
    expect(sourceTitle({ from: "folder", folder: "/farm/night shots/", names: [], tables: [] })).toBe(
      "night shots",
    );
    expect(sourceTitle({ from: "browser", pictures: [new File([], "mill.0001.exr")], table: null })).toBe(
      "mill.0001",
    );
    expect(sourceTitle({ from: "browser", pictures: [], table: null })).toBe("Renders");
  });
});

describe("rows in groups", () => {
  it("stay in their order, and so do the groups", () => {
    const found = grouped([3, 1, 4, 1, 5], (value) => (value % 2 ? "odd" : "even"));
    expect([...found]).toEqual([
      ["odd", [3, 1, 1, 5]],
      ["even", [4]],
    ]);
  });
});

describe("the words below a pair's figures", () => {
  const ratio = (cleaner: number, noisier: number, value = 1) => ({
    value,
    spread: { cleaner, noisier, tenth: 0.9, ninetieth: 1.1, places: 2000, quiet: 0 },
  });

  it("say in how much of the picture, at least, the trial is cleaner or noisier", () => {
    expect(placesWords(ratio(0, 0.04))).toBe("");
    expect(placesWords(ratio(0.629, 0))).toBe("It is cleaner in at least 62 % of the picture.");
    expect(placesWords(ratio(0.3, 0.2))).toBe(
      "It is cleaner in at least 30 % of the picture and noisier in at least 20 % of the picture.",
    );
    expect(placesWords(ratio(0.99, 0))).toBe("Cleaner nearly everywhere in the picture.");
    expect(placesWords(ratio(0, 0.97))).toBe("Noisier nearly everywhere in the picture.");
  });

  it("say why a ratio is not that of the figures beside it, only where they are apart", () => {
    expect(quotientWords({ value: 4.53 }, { value: 4.87 }, ratio(0, 0, 1))).toContain(
      "same places one by one",
    );
    for (const [control, trial] of [
      [{ value: 4.53 }, { value: 4.6 }],
      [{ value: 0 }, { value: 1 }],
      [null, { value: 1 }],
    ] as const)
      expect(quotientWords(control, trial, ratio(0, 0, 1))).toBe("");
  });
});

describe("a difference in words", () => {
  const cell = (percent: number, stops: number, x = 0) => ({
    row: 0,
    column: 0,
    box: [x, 0, 16, 16],
    z: 9,
    percent,
    stops,
    smallest_seen_percent: 1,
  });
  const given = {
    found: true,
    overall_z: 9,
    smallest_seen_percent: 0.66,
    zones: [cell(-10.3, -0.1487)],
    method: "twin",
  };
  const ball = { box: [156, 68, 8, 8], pixels: 64, percent: -74.9, stops: -1.1358, smallest_seen_percent: 8 };

  it("names the small part where that changed most, and the table's cells beside it", () => {
    expect(differenceWords({ ...given, islands: [ball] })).toBe(
      "There is a difference: most in a part of 8 × 8 pixels, 1.14 stops darker; one place of the table differs by itself, by up to 0.149 stops darker.",
    );
  });

  it("names the cells alone where none in them changed more", () => {
    const zones = [cell(2, 0.0289), cell(12, 0.1733, 16)];
    expect(differenceWords({ ...given, zones, islands: [{ ...ball, percent: 5, stops: 0.0721 }] })).toBe(
      "There is a difference: 2 places of the table differ by themselves, most by 0.173 stops brighter.",
    );
    expect(differenceWords({ ...given, specks: [[0, 0, 16, 16]] })).toContain("all of it in bright specks");
  });

  it("says what would have been seen where there is none, and where nothing stands out", () => {
    expect(differenceWords({ ...given, found: false })).toContain(
      "0.660 % in one place would have been seen",
    );
    expect(differenceWords({ ...given, zones: [] })).toContain("no place stands out");
  });
});
