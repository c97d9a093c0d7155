import { scaleLinear } from "d3-scale";
import type { Mark } from "./marks";
import { MarkShape } from "./marks";

export type FrameLine = { key: string; title: string; mark: Mark; values: (number | null)[] };

const WIDTH = 560;
const HEIGHT = 170;
const LEFT = 60;
const RIGHT = 12;
const TOP = 10;
const BOTTOM = 30;

/** Values by frame, a line for each sequence; the frame that is shown stands out. */
export function FrameChart(props: {
  label: string;
  yTitle: string;
  frames: number[];
  lines: FrameLine[];
  shown: number;
  onShow: (index: number) => void;
}) {
  const { frames, lines } = props;
  const known = lines.flatMap((line) => line.values.filter((value) => value !== null));
  const low = Math.min(...known);
  const high = Math.max(...known);
  const room = (high - low || Math.abs(high) || 1) * 0.08;
  const x = scaleLinear()
    .domain([frames[0] ?? 0, frames[frames.length - 1] ?? 1])
    .range([LEFT, WIDTH - RIGHT]);
  const y = scaleLinear()
    .domain(known.length > 0 ? [low - room, high + room] : [0, 1])
    .range([HEIGHT - BOTTOM, TOP]);
  const at = frames[props.shown];
  return (
    <figure className="m-0" aria-label={props.label}>
      {/* biome-ignore lint/a11y/noSvgWithoutTitle: the figure has the name */}
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: arrow keys step through the frames anywhere on the page */}
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block w-full"
        data-part="frame-chart"
        onClick={(event) => {
          const box = event.currentTarget.getBoundingClientRect();
          const wanted = x.invert(((event.clientX - box.left) / box.width) * WIDTH);
          props.onShow(nearest(frames, wanted));
        }}
      >
        <g fontSize="11.5" fill="var(--color-soft)">
          {y.ticks(4).map((tick) => (
            <g key={tick}>
              <path d={`M${LEFT} ${y(tick)}H${WIDTH - RIGHT}`} stroke="var(--color-line)" />
              <text x={LEFT - 6} y={y(tick) + 4} textAnchor="end">
                {y.tickFormat(4)(tick)}
              </text>
            </g>
          ))}
          {x
            .ticks(8)
            .filter((tick) => Number.isInteger(tick))
            .map((tick) => (
              <text key={tick} x={x(tick)} y={HEIGHT - BOTTOM + 15} textAnchor="middle">
                {tick}
              </text>
            ))}
          <text x={WIDTH - RIGHT} y={HEIGHT - 3} textAnchor="end" fill="var(--color-ink)">
            frame
          </text>
          <text transform={`translate(11 ${TOP}) rotate(-90)`} textAnchor="end" fill="var(--color-ink)">
            {props.yTitle}
          </text>
        </g>
        {at === undefined ? null : (
          <path d={`M${x(at)} ${TOP}V${HEIGHT - BOTTOM}`} stroke="var(--color-edge)" strokeDasharray="3 3" />
        )}
        {lines.map((line) => (
          <g key={line.key}>
            <path
              d={pathOf(
                line.values.map((value, number) => [
                  x(frames[number] ?? 0),
                  value === null ? null : y(value),
                ]),
              )}
              stroke={line.mark.hue}
              strokeDasharray={line.mark.dash}
              strokeWidth="1.5"
              fill="none"
            />
            {line.values.map((value, number) =>
              value === null ? null : (
                <g key={frames[number]} transform={`translate(${x(frames[number] ?? 0)} ${y(value)})`}>
                  <MarkShape mark={line.mark} size={number === props.shown ? 4.5 : 2.5} />
                </g>
              ),
            )}
          </g>
        ))}
      </svg>
    </figure>
  );
}

function nearest(frames: number[], wanted: number): number {
  return frames.reduce(
    (best, frame, index) =>
      Math.abs(frame - wanted) < Math.abs((frames[best] ?? 0) - wanted) ? index : best,
    0,
  );
}

/** A line that is broken where a value is missing. */
function pathOf(points: [number, number | null][]): string {
  return points
    .map(([left, top], number) => {
      if (top === null) return "";
      return `${number > 0 && points[number - 1]?.[1] !== null ? "L" : "M"}${left.toFixed(1)} ${top.toFixed(1)}`;
    })
    .join("");
}
