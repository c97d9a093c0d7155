import { describe, expect, it } from "vitest";
import { readAt, readingWords } from "../src/screens/curves/series";
import { keeping, type Option, type Use } from "../src/screens/decide/figures";
import {
  type MeasureKind as Kind,
  type MeasureRow as Row,
  shadeColour,
  shades,
} from "../src/screens/measures/heat";

const fit = {
  a: 1600,
  floor_percent: 3,
  floor_interval: [2, 4],
  floor_found: true,
  ready_seconds: 1,
  seconds_per_unit: 0.5,
  slope: -0.5,
  slope_interval: null,
  stops_paying_at: null,
  lowest: 4,
  highest: 64,
  follows_the_law: true,
};

describe("reading a curve at a level", () => {
  it("turns the law around: a/(p² − floor²) of the knob, and its time", () => {
    const reading = readAt(fit, 13);
    expect(reading).toEqual({ quality: 10, seconds: 6, beyond: false });
    expect(readingWords(reading, "samples")).toBe("10.0 samples, 6.00 s");
  });
  it("never goes below the floor, nor further than twice the ladder", () => {
    expect(readAt(fit, 3)).toEqual({ never: "never below 3.00 %" });
    expect(readingWords(readAt(fit, 4), "samples")).toBe("further than 128 samples");
  });
  it("says where it lies beyond what was rendered", () => {
    const reading = readAt(fit, Math.sqrt(1600 / 100 + 9));
    expect(reading).toMatchObject({ beyond: true });
    expect(readingWords(reading, "samples")).toContain("beyond what was rendered");
  });
});

describe("how many options a limit would leave", () => {
  const option = (key: string, noise: number, interval: number[] | null = null) =>
    ({ key, figures: { noise: { value: noise, interval, where: "", method: "twin" } } }) as unknown as Option;
  const use = (states: Record<string, string>) =>
    ({
      standings: Object.fromEntries(
        Object.entries(states).map(([key, state]) => [
          key,
          {
            checked: [
              { limit: "noise", state: "breaks" },
              { limit: "visible_error", state },
            ],
          },
        ]),
      ),
    }) as unknown as Use;
  it("counts what lies below it, and what cannot be told from it, unless another limit leaves it out", () => {
    const options = [option("a", 5), option("b", 12, [9, 15]), option("c", 20), option("d", 4)];
    const all = use({ a: "keeps", b: "unsure", c: "keeps", d: "breaks" });
    expect(keeping(options, all, "noise", 10)).toBe(2);
    expect(keeping(options, all, "noise", 8)).toBe(1);
    expect(keeping(options, all, "noise", 30)).toBe(3);
  });
  it("leaves out what is not known", () => {
    expect(keeping([option("a", 5)], use({ a: "not known" }), "noise", 10)).toBe(0);
    expect(keeping([option("a", 5)], use({ a: "keeps" }), "seconds", 10)).toBe(0);
  });
});

describe("shades of the measure table", () => {
  const kind = (name: string, better: string) => ({ name, better }) as unknown as Kind;
  const row = (option: number, zone: string, cells: Record<string, number | null>) =>
    ({
      option,
      zone,
      place: "here",
      cells: Object.fromEntries(Object.entries(cells).map(([name, value]) => [name, { value }])),
    }) as unknown as Row;
  const kinds = [kind("noise", "lower"), kind("stops", "nearest 0"), kind("seen", "")];
  it("go from the best to the worst of a column by ratios, within one zone", () => {
    const rows = [
      row(1, "whole", { noise: 1, stops: -0.5, seen: 3 }),
      row(2, "whole", { noise: 2, stops: 0, seen: 4 }),
      row(3, "whole", { noise: 4, stops: 0.25, seen: 5 }),
      row(3, "Shelf", { noise: 40, stops: 0.25, seen: 5 }),
    ];
    const found = shades(rows, kinds);
    expect(found.get("1 whole noise")).toBe(0);
    expect(found.get("2 whole noise")).toBeCloseTo(0.5);
    expect(found.get("3 whole noise")).toBe(1);
    expect(found.get("1 whole stops")).toBe(1);
    expect(found.get("3 whole stops")).toBe(0.5);
    expect(found.has("3 Shelf noise")).toBe(false);
    expect(found.has("1 whole seen")).toBe(false);
    expect(shadeColour(undefined)).toBeUndefined();
  });
  it("leave out what is not there and what is all alike", () => {
    const found = shades(
      [row(1, "whole", { noise: 2, stops: null }), row(2, "whole", { noise: 2, stops: 0 })],
      kinds,
    );
    expect(found.size).toBe(0);
  });
});
