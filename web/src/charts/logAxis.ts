import { scaleLog } from "@visx/scale";
import type { ScaleLogarithmic } from "d3-scale";
import type { Axis } from "./ChartFrame";

export type LogAxis = Axis<ScaleLogarithmic<number, number>>;

const ROOM = 1.15;

/** A logarithmic axis over these values, with a little room at both ends; 0 and below are left out. */
export function logAxis(values: number[], from: number, to: number): LogAxis {
  const good = values.filter((value) => Number.isFinite(value) && value > 0);
  const low = good.length > 0 ? Math.min(...good) : 1;
  const high = good.length > 0 ? Math.max(...good) : 10;
  const at = scaleLog<number>({ domain: [low / ROOM, high * ROOM], range: [from, to] });
  return { at, ticks: ticksOf(low / ROOM, high * ROOM).map((value) => ({ value, words: `${value}` })) };
}

/** Marks at 1, 2 and 5 of each power of ten; where these are more than ten, at the powers alone; fewer than three, at more digits. */
export function ticksOf(low: number, high: number): number[] {
  const first = Math.floor(Math.log10(low));
  const last = Math.ceil(Math.log10(high));
  const of = (digits: number[]) =>
    Array.from({ length: last - first + 1 }, (_, step) => digits.map((digit) => plain(digit, first + step)))
      .flat()
      .filter((value) => value >= low && value <= high);
  const usual = of([1, 2, 5]);
  if (usual.length > 10) return of([1]);
  return usual.length < 3 ? of([1, 1.5, 2, 3, 4, 5, 6, 8]) : usual;
}

function plain(digit: number, power: number): number {
  return Number(`${digit}e${power}`);
}
