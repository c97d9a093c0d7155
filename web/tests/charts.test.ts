import { describe, expect, it } from "vitest";
import { readAt, readingWords } from "../src/screens/curves/series";
import { keeping, type Option, type Use } from "../src/screens/decide/figures";

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
