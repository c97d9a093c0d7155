import type { ChartLine } from "../../charts/chartLines";
import { type ChartPoint, type ChartSeries, LogChart } from "../../charts/LogChart";
import { CONTROL_MARK, type Mark, trialMark } from "../../charts/marks";
import { stepsOf } from "../../charts/steps";
import { seconds, spread, three } from "../../parts/format";
import { type Decision, keeping, type LimitKind, type Option, type Use } from "./figures";

const OUT: Mark = { hue: "var(--color-edge)", shape: "cross", dash: "" };
const REST: Mark = { hue: "var(--color-fourth)", shape: "circle", dash: "" };

const SIZE = [620, 360] as const;
/** Time against what ranks beside it, noise or visible error: the frontier of what keeps the limits, what it beats, and what is out; both limits can be dragged. */
export function FrontierChart({
  decision,
  use,
  onLimit,
}: {
  decision: Decision;
  use: Use;
  onLimit: (name: string, value: number) => void;
}) {
  const by = use.ranked_by;
  const known = placed(decision, use);
  const loss = decision.limit_kinds.find((kind) => kind.name === by);
  const title = loss?.title.split(",")[0]?.toLowerCase() ?? by;
  const unit = `${loss?.unit} ${title}`;
  const group = (title: string, mark: Mark, of: (option: Option) => boolean, line = false): ChartSeries => {
    const points = known.filter(of).map((option) => pointOf(option, use, unit));
    const along = [...points].sort((a, b) => a.x - b.x);
    return { key: title, title, mark, points, ...(line ? { line: stepsOf(along) } : {}) };
  };
  const standing = (option: Option) => use.standings[option.key];
  const on = (option: Option) => standing(option)?.on_frontier === "frontier";
  const series = [
    group("out", OUT, (option) => !option.control && (standing(option)?.out ?? true)),
    group("beaten", REST, (option) => !option.control && !standing(option)?.out && !on(option)),
    group("the frontier", trialMark(0), (option) => !option.control && on(option)),
    group("the control", CONTROL_MARK, (option) => option.control),
  ];
  const frontier = group("steps", trialMark(0), on, true);
  return (
    <LogChart
      label={`Time against ${title} for ${use.title.toLowerCase()}`}
      xTitle="seconds a frame"
      yTitle={`${title}, ${loss?.unit}`}
      size={SIZE}
      lines={linesOf(decision, use, onLimit)}
      series={[{ ...frontier, points: [] }, ...series.filter((row) => row.points.length > 0)]}
    />
  );
}

/** The limits on the chart's own axes; one that is not set waits at the end of its axis. */
function linesOf(decision: Decision, use: Use, onLimit: (name: string, value: number) => void): ChartLine[] {
  const all = placed(decision, use);
  const line = (kind: LimitKind, axis: "x" | "y"): ChartLine => {
    const limit = use.limits[kind.name] ?? null;
    const told = (value: number) =>
      `${kind.title.toLowerCase()} at most ${three(value)} ${kind.unit}: ${keeping(all, use, kind.name, value)} of ${all.length} left`;
    return {
      key: kind.name,
      axis,
      value: limit,
      label: `${kind.title}, at most`,
      words: limit === null ? "drag in a limit" : `at most ${three(limit)} ${kind.unit}`,
      tone: "limit",
      told,
      onDone: (value) => onLimit(kind.name, value),
    };
  };
  return decision.limit_kinds.flatMap((kind) =>
    kind.name === "seconds" ? [line(kind, "x")] : kind.name === use.ranked_by ? [line(kind, "y")] : [],
  );
}

/** The options that have both figures. */
function placed(decision: Decision, use: Use): Option[] {
  return decision.options.filter((option) => option.figures.seconds && option.figures[use.ranked_by]);
}

/** `unit` is that of what ranks beside time, with its name. */
function pointOf(option: Option, use: Use, unit: string): ChartPoint {
  const time = option.figures.seconds;
  const loss = option.figures[use.ranked_by];
  const how = use.standings[option.key]?.out ? ", out" : option.key === use.chosen ? ", chosen" : "";
  return {
    key: option.key,
    x: time?.value ?? 0,
    y: loss?.value ?? 0,
    xInterval: time?.interval ?? null,
    yInterval: loss?.interval ?? null,
    hollow: option.key !== use.chosen,
    to: option.pair ? `/pairs/${option.pair}` : undefined,
    words: [
      `${option.name}${how}`,
      `${seconds(time?.value)} (${spread(time?.interval ?? null)})`,
      `${three(loss?.value ?? 0)} ${unit} (${spread(loss?.interval ?? null)})`,
    ],
  };
}
