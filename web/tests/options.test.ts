import { describe, expect, it } from "vitest";
import type { Schema } from "../src/api/client";
import { type Figure, ordered, ranks, standing } from "../src/screens/study/options";

const figure = (value: number, low?: number, high?: number): Figure => ({
  value,
  interval: low === undefined || high === undefined ? null : [low, high],
  method: "twin",
});

describe("where a figure stands among the others", () => {
  it("is least only where its interval lies below all others", () => {
    const all = [figure(1, 0.9, 1.1), figure(2, 1.5, 2.5), figure(3, 2.8, 3.2)];
    expect(all.map((each) => standing(each, all))).toEqual(["least", "other", "other"]);
  });

  it("is as little as the least where that cannot be told", () => {
    const all = [figure(1, 0.7, 1.4), figure(1.2, 0.9, 1.5), figure(3, 2.8, 3.2)];
    expect(all.map((each) => standing(each, all))).toEqual(["as little", "as little", "other"]);
  });

  it("takes a figure without an interval as it is, and says nothing of one alone", () => {
    const all = [figure(1), figure(1.2)];
    expect(all.map((each) => standing(each, all))).toEqual(["least", "other"]);
    expect(standing(figure(1), [figure(1)])).toBe("other");
    const same = [figure(1), figure(1)];
    expect(same.map((each) => standing(each, same))).toEqual(["as little", "as little"]);
  });
});

describe("options in an order", () => {
  const option = (id: number, name: string, seconds: Figure | null): Schema["OptionSummary"] => ({
    id,
    name,
    place: "",
    control: 0,
    pair: 0,
    seeds: 2,
    open: false,
    seconds,
    noise: null,
    visible_noise: null,
    visible_error: null,
    refused: {},
    why_not: "",
    picture: "",
  });
  const rows = [
    option(1, "16 samples", figure(3)),
    option(2, "4 samples", null),
    option(3, "8 samples", figure(1)),
  ];

  it("ranks no noise of a softer picture, and all else of it", () => {
    const softer = { ...option(4, "smoothing on", figure(1)), why_not: "their finest detail differs" };
    expect([ranks(softer, "noise"), ranks(softer, "visible_noise")]).toEqual([false, true]);
    expect(ranks(option(5, "32 samples", figure(1)), "noise")).toBe(true);
  });

  it("has the least first and the unknown last, either way", () => {
    expect(ordered(rows, "seconds", false).map((each) => each.id)).toEqual([3, 1, 2]);
    expect(ordered(rows, "seconds", true).map((each) => each.id)).toEqual([1, 3, 2]);
    expect(ordered(rows, "name", false).map((each) => each.name)).toEqual([
      "4 samples",
      "8 samples",
      "16 samples",
    ]);
  });
});
