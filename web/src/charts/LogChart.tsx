import { Line, LinePath } from "@visx/shape";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { AxisTitle, type Box, ChartFrame } from "./ChartFrame";
import { ChartLineMark } from "./ChartLineMark";
import type { ChartLine, ChartLink } from "./chartLines";
import { type LogAxis, logAxis } from "./logAxis";
import { type Mark, MarkShape } from "./marks";

export type ChartPoint = {
  key: string;
  x: number;
  y: number;
  xInterval?: readonly number[] | null;
  yInterval?: readonly number[] | null;
  /** What is said of it, a line each; the first is its name. */
  words: string[];
  /** Where a click leads; nothing without. */
  to?: string | undefined;
  hollow?: boolean;
};
export type ChartSeries = {
  key: string;
  title: string;
  mark: Mark;
  points: ChartPoint[];
  /** A line through the chart, from left to right. */
  line?: { x: number; y: number }[];
  /** A level that the line comes down to. */
  floor?: number | undefined;
};

const LEFT = 58;
const RIGHT = 24;
const TOP = 12;
const BOTTOM = 44;

/** Points with their intervals and lines over two logarithmic axes. */
export function LogChart(props: {
  label: string;
  xTitle: string;
  yTitle: string;
  series: ChartSeries[];
  lines?: ChartLine[];
  links?: ChartLink[];
  /** Units across and down: as many as it has pixels, so that its words keep their size. */
  size?: readonly [number, number];
}) {
  const { series, lines = [], links = [], size = [760, 400] } = props;
  const [width, height] = size;
  const [shown, setShown] = useState<ChartPoint | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const box: Box = { left: LEFT, right: width - RIGHT, top: TOP, bottom: height - BOTTOM };
  const points = series.flatMap((row) => row.points);
  const x = logAxis(
    points.flatMap((p) => [p.x, ...(p.xInterval ?? [])]),
    box.left,
    box.right,
  );
  const floors = series.flatMap((row) => (row.floor ? [row.floor] : []));
  const y = logAxis(
    [...points.flatMap((p) => [p.y, ...(p.yInterval ?? [])]), ...floors],
    box.bottom,
    box.top,
  );
  return (
    <figure className="relative m-0" aria-label={props.label}>
      {/* biome-ignore lint/a11y/noSvgWithoutTitle: the figure has the name; a title would pop up over every point */}
      <svg ref={svg} viewBox={`0 0 ${width} ${height}`} className="block w-full" data-part="chart">
        <ChartFrame x={x} y={y} box={box} columns />
        <g fontSize="12.5">
          <AxisTitle axis="x" words={props.xTitle} at={[box.right, height - 8]} />
          <AxisTitle axis="y" words={props.yTitle} at={[13, box.top]} />
        </g>
        <clipPath id="plot">
          <rect x={box.left} y={box.top} width={box.right - box.left} height={box.bottom - box.top} />
        </clipPath>
        <g clipPath="url(#plot)">
          {series.map((row) => (
            <g key={row.key} data-series={row.key}>
              {row.floor ? (
                <Line
                  from={{ x: box.left, y: y.at(row.floor) }}
                  to={{ x: box.right, y: y.at(row.floor) }}
                  stroke={row.mark.hue}
                  strokeDasharray="1 4"
                />
              ) : null}
              {row.line ? (
                <LinePath
                  data={row.line}
                  x={(p) => x.at(p.x)}
                  y={(p) => y.at(p.y)}
                  stroke={row.mark.hue}
                  strokeWidth="1.6"
                  strokeDasharray={row.mark.dash}
                />
              ) : null}
            </g>
          ))}
        </g>
        {links.map((link) => (
          <Joined key={link.key} link={link} points={points} x={x} y={y} />
        ))}
        {lines.map((line) => (
          <ChartLineMark key={line.key} line={line} axis={line.axis === "x" ? x : y} frame={box} svg={svg} />
        ))}
        {series.map((row) =>
          row.points.map((point) => (
            <Dot
              key={`${row.key} ${point.key}`}
              point={point}
              mark={row.mark}
              x={x}
              y={y}
              onShow={(on) => setShown(on ? point : null)}
            />
          )),
        )}
      </svg>
      {shown ? <Told point={shown} left={x.at(shown.x) / width} top={y.at(shown.y) / height} /> : null}
    </figure>
  );
}

/** A line between two points that leads to what they are together. */
function Joined({ link, points, x, y }: { link: ChartLink; points: ChartPoint[]; x: LogAxis; y: LogAxis }) {
  const [from, to] = [link.from, link.to].map((key) => points.find((point) => point.key === key));
  if (!from || !to) return null;
  const ends = {
    from: { x: x.at(from.x), y: y.at(from.y) },
    to: { x: x.at(to.x), y: y.at(to.y) },
  };
  return (
    <Link to={link.href} aria-label={`${link.words}. Look at it.`} data-link={link.key}>
      <Line {...ends} stroke="transparent" strokeWidth="12" />
      <Line {...ends} stroke="var(--color-ink)" strokeWidth="1.2" strokeDasharray="2 3" />
      <title>{link.words}</title>
    </Link>
  );
}

function Dot(props: {
  point: ChartPoint;
  mark: Mark;
  x: LogAxis;
  y: LogAxis;
  onShow: (on: boolean) => void;
}) {
  const { point, mark, x, y } = props;
  const left = x.at(point.x);
  const top = y.at(point.y);
  const ends = {
    x: point.xInterval?.map((value) => x.at(Math.max(value, 1e-12))),
    y: point.yInterval?.map((value) => y.at(Math.max(value, 1e-12))),
  };
  const bars = (
    <path
      d={[
        ends.x ? `M${ends.x[0]} ${top}H${ends.x[1]}` : "",
        ends.y ? `M${left} ${ends.y[0]}V${ends.y[1]}` : "",
      ].join("")}
      stroke={mark.hue}
      strokeOpacity="0.55"
      fill="none"
    />
  );
  const dot = (
    <g transform={`translate(${left} ${top})`}>
      <circle r="11" fill="transparent" />
      <MarkShape mark={mark} hollow={point.hollow ?? false} />
    </g>
  );
  const words = point.words.join(", ");
  const watch = {
    onPointerEnter: () => props.onShow(true),
    onPointerLeave: () => props.onShow(false),
    onFocus: () => props.onShow(true),
    onBlur: () => props.onShow(false),
  };
  return (
    <>
      {bars}
      {point.to ? (
        <Link to={point.to} aria-label={`${words}. Look at it.`} data-point={point.key} {...watch}>
          {dot}
        </Link>
      ) : (
        <g data-point={point.key} onPointerEnter={watch.onPointerEnter} onPointerLeave={watch.onPointerLeave}>
          <title>{words}</title>
          {dot}
        </g>
      )}
    </>
  );
}

/** What is said of a point, beside it and inside the chart. */
function Told({ point, left, top }: { point: ChartPoint; left: number; top: number }) {
  const across = left > 0.6 ? { right: `${(1 - left) * 100 + 2}%` } : { left: `${left * 100 + 2}%` };
  return (
    <div
      className="pointer-events-none absolute z-10 max-w-72 border border-edge bg-paper px-2 py-1 text-sm"
      style={{ ...across, top: `${Math.min(top * 100, 70)}%` }}
      aria-hidden="true"
    >
      {point.words.map((line, number) => (
        <p key={line} className={number === 0 ? "font-semibold" : "text-soft"}>
          {line}
        </p>
      ))}
      {point.to ? <p className="text-soft text-xs">Click to look at it.</p> : null}
    </div>
  );
}
