import { expect, test } from "vitest";
import { placesOf } from "../src/screens/pair/places";

const cell = (box: number[], percent: number) => ({
  row: 0,
  column: 0,
  box,
  z: 9,
  percent,
  stops: percent / 69,
  smallest_seen_percent: 1,
});
const island = (box: number[], percent: number) => ({
  box,
  pixels: 64,
  percent,
  stops: percent / 69,
  smallest_seen_percent: 1,
});
const difference = { found: true, overall_z: 9, smallest_seen_percent: 1, method: "twin" };

test("islands come first, then the cells beside them by how much they changed", () => {
  const zones = [cell([0, 0, 40, 40], 4), cell([200, 0, 40, 40], -9), cell([80, 0, 40, 40], 6)];
  const islands = [island([210, 8, 16, 16], -120), island([300, 80, 24, 16], 40)];
  expect(placesOf({ ...difference, zones, islands })).toEqual([
    [210, 8, 16, 16],
    [300, 80, 24, 16],
    [80, 0, 40, 40],
    [0, 0, 40, 40],
  ]);
});

test("there are none before both sides are compared", () => {
  expect(placesOf(null)).toEqual([]);
  expect(placesOf(undefined)).toEqual([]);
});
