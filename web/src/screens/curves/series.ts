import type { Schema } from "../../api/client";
import type { ChartPoint, ChartSeries } from "../../charts/LogChart";
import { CONTROL_MARK, type Mark, trialMark } from "../../charts/marks";
import { optionTitle, seconds, spread, three } from "../../parts/format";

type Curve = Schema["Curve"];
type Point = Schema["CurvePoint"];

const STEPS = 48;
const BEYOND = 2;

/** The marks of all options: the same at every place. */
export function marksOf(curves: Curve[]): Map<string, Mark> {
  const trials = [...new Set(curves.filter((row) => !row.of_control).map((row) => row.title))];
  const marks = new Map<string, Mark>(trials.map((title, number) => [title, trialMark(number)]));
  for (const row of curves) if (row.of_control) marks.set(row.title, CONTROL_MARK);
  return marks;
}

/** What a chart shows of the curves of one place. */
export function seriesOf(curves: Curve[], marks: Map<string, Mark>, what: string): ChartSeries[] {
  return curves.map((row) => ({
    key: row.key,
    title: row.title,
    mark: marks.get(row.title) ?? CONTROL_MARK,
    points: row.points.flatMap((point) => pointOf(row, point, what)),
    ...(row.fit
      ? { line: lineOf(row.fit), floor: row.fit.floor_found ? row.fit.floor_percent : undefined }
      : {}),
  }));
}

function pointOf(curve: Curve, point: Point, what: string): ChartPoint[] {
  if (point.seconds == null || point.percent == null) return [];
  const ready = point.ready_seconds == null ? "" : `, ${seconds(point.ready_seconds)} of it getting ready`;
  return [
    {
      key: `${point.option}`,
      x: point.seconds,
      y: point.percent,
      xInterval: point.seconds_interval,
      yInterval: point.percent_interval,
      hollow: point.control,
      to: point.pair ? `/pairs/${point.pair}` : undefined,
      words: [
        `${optionTitle(curve.title)}, ${curve.knob} ${three(point.quality)}`,
        `${three(point.percent)} % ${what} (${spread(point.percent_interval)})`,
        `${seconds(point.seconds)} (${spread(point.seconds_interval)})${ready}`,
        `${point.seeds} seeds`,
      ],
    },
  ];
}

/** The fitted law as a line, as far as it may be read: half to twice the ladder. */
export function lineOf(fit: NonNullable<Curve["fit"]>): { x: number; y: number }[] {
  const first = Math.log(fit.lowest / BEYOND);
  const last = Math.log(fit.highest * BEYOND);
  return Array.from({ length: STEPS + 1 }, (_, step) => {
    const quality = Math.exp(first + ((last - first) * step) / STEPS);
    return {
      x: fit.ready_seconds + fit.seconds_per_unit * quality,
      y: Math.sqrt(fit.a / quality + fit.floor_percent ** 2),
    };
  });
}

/** What a curve says at a level of noise or error: quality and seconds; a reason where it never comes down to it. */
export type Reading = { quality: number; seconds: number; beyond: boolean } | { never: string };

/** The fitted law read at a level, as far as it may be read: half to twice the ladder. */
export function readAt(fit: NonNullable<Curve["fit"]>, percent: number): Reading {
  const left = percent ** 2 - fit.floor_percent ** 2;
  if (left <= 0) return { never: `never below ${three(fit.floor_percent)} %` };
  const quality = fit.a / left;
  if (quality > fit.highest * BEYOND) return { never: `further than ${three(fit.highest * BEYOND)}` };
  return {
    quality,
    seconds: fit.ready_seconds + fit.seconds_per_unit * quality,
    beyond: quality > fit.highest || quality < fit.lowest,
  };
}

/** A reading in words: “21.4 samples, 15.2 s”. */
export function readingWords(reading: Reading, knob: string): string {
  if ("never" in reading)
    return reading.never.startsWith("further") ? `${reading.never} ${knob}` : reading.never;
  const sure = reading.beyond ? ", beyond what was rendered" : "";
  return `${three(reading.quality)} ${knob}, ${seconds(reading.seconds)}${sure}`;
}
