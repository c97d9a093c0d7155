import { scaleLinear } from "@visx/scale";
import { Line, LinePath } from "@visx/shape";
import type { ScaleLinear } from "d3-scale";
import { type Axis, AxisTitle, type Box, ChartFrame } from "./ChartFrame";
import type { Mark } from "./marks";
import { MarkShape } from "./marks";

export type FrameLine = { key: string; title: string; mark: Mark; values: (number | null)[] };

const WIDTH = 560;
const HEIGHT = 170;
const BOX: Box = { left: 60, right: WIDTH - 12, top: 10, bottom: HEIGHT - 30 };

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
  const x = linearAxis([frames[0] ?? 0, frames[frames.length - 1] ?? 1], [BOX.left, BOX.right], 8);
  const y = linearAxis(known.length > 0 ? [low - room, high + room] : [0, 1], [BOX.bottom, BOX.top], 4);
  x.ticks = x.ticks.filter((tick) => Number.isInteger(tick.value));
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
          const wanted = x.at.invert(((event.clientX - box.left) / box.width) * WIDTH);
          props.onShow(nearest(frames, wanted));
        }}
      >
        <ChartFrame x={x} y={y} box={BOX} fontSize={11.5} />
        <g fontSize="11.5">
          <AxisTitle axis="x" words="frame" at={[BOX.right, HEIGHT - 3]} />
          <AxisTitle axis="y" words={props.yTitle} at={[11, BOX.top]} />
        </g>
        {at === undefined ? null : (
          <Line
            from={{ x: x.at(at), y: BOX.top }}
            to={{ x: x.at(at), y: BOX.bottom }}
            stroke="var(--color-edge)"
            strokeDasharray="3 3"
          />
        )}
        {lines.map((line) => (
          <g key={line.key}>
            <LinePath
              data={line.values}
              defined={(value) => value !== null}
              x={(_, number) => x.at(frames[number] ?? 0)}
              y={(value) => y.at(value ?? 0)}
              stroke={line.mark.hue}
              strokeDasharray={line.mark.dash}
              strokeWidth="1.5"
            />
            {line.values.map((value, number) =>
              value === null ? null : (
                <g key={frames[number]} transform={`translate(${x.at(frames[number] ?? 0)} ${y.at(value)})`}>
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

function linearAxis(domain: number[], range: number[], count: number): Axis<ScaleLinear<number, number>> {
  const at = scaleLinear<number>({ domain, range });
  const words = at.tickFormat(count);
  return { at, ticks: at.ticks(count).map((value) => ({ value, words: words(value) })) };
}

function nearest(frames: number[], wanted: number): number {
  return frames.reduce(
    (best, frame, index) =>
      Math.abs(frame - wanted) < Math.abs((frames[best] ?? 0) - wanted) ? index : best,
    0,
  );
}
