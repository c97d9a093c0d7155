import { type KeyboardEvent, type PointerEvent, type RefObject, useState } from "react";
import { three } from "../parts/format";
import type { Box } from "./ChartFrame";
import type { ChartLine } from "./chartLines";
import type { LogAxis } from "./logAxis";

const GRIP = 6;
const STEP = 1.02;
const LARGE_STEP = 1.2;
const HUES = { limit: "var(--color-fault)", target: "var(--color-ink)" } as const;

/** A level straight across a chart, with a grip at its end where it can be moved. */
export function ChartLineMark({
  line,
  axis,
  frame,
  svg,
}: {
  line: ChartLine;
  axis: LogAxis;
  frame: Box;
  svg: RefObject<SVGSVGElement | null>;
}) {
  const [moved, setMoved] = useState<number | null>(null);
  const level = line.axis === "y";
  const [low = 1, high = 1] = axis.at.domain();
  const value = moved ?? line.value;
  // what is not set, or lies outside, waits at the end of the axis
  const inside = Math.min(Math.max(value ?? high, low), high);
  const at = axis.at(inside);
  const hue = HUES[line.tone];
  const move = (next: number) => {
    const kept = Math.min(Math.max(next, low), high);
    setMoved(kept);
    line.onMove?.(kept);
  };
  const done = (next: number | null) => {
    setMoved(null);
    if (next !== null) line.onDone?.(Number(next.toPrecision(3)));
  };
  const under = (event: PointerEvent): number => {
    const box = svg.current?.getBoundingClientRect();
    const view = svg.current?.viewBox.baseVal;
    if (!box || !view) return inside;
    const place = level
      ? ((event.clientY - box.top) / box.height) * view.height
      : ((event.clientX - box.left) / box.width) * view.width;
    return axis.at.invert(place);
  };
  const press = (event: KeyboardEvent) => {
    const up = event.key === "ArrowUp" || event.key === "ArrowRight";
    const down = event.key === "ArrowDown" || event.key === "ArrowLeft";
    if (!up && !down) return;
    event.preventDefault();
    const times = event.shiftKey ? LARGE_STEP : STEP;
    move(inside * (up ? times : 1 / times));
  };
  const set = value !== null && value >= low && value <= high;
  const words = moved !== null && line.told ? line.told(moved) : line.words;
  if (!set && !line.onDone) return null;
  const across = level ? `M${frame.left} ${at}H${frame.right}` : `M${at} ${frame.top}V${frame.bottom}`;
  const grip = level ? { x: frame.right - GRIP, y: at } : { x: at, y: frame.top + GRIP };
  return (
    <g data-line={line.key}>
      {set ? (
        <path
          d={across}
          stroke={hue}
          strokeWidth="1.2"
          strokeDasharray={line.tone === "limit" ? "5 3" : ""}
        />
      ) : null}
      <text
        x={level ? frame.right - 2 * GRIP - 4 : at - GRIP - 5}
        y={level ? at - 5 : frame.top + GRIP + 4}
        textAnchor="end"
        fontSize="12"
        fill={hue}
        paintOrder="stroke"
        stroke="var(--color-paper)"
        strokeWidth="3"
      >
        {words}
      </text>
      {line.onDone || line.onMove ? (
        <g
          role="slider"
          tabIndex={0}
          aria-label={line.label}
          aria-valuemin={low}
          aria-valuemax={high}
          aria-valuenow={inside}
          aria-valuetext={value === null ? "not set" : three(value)}
          aria-orientation={level ? "vertical" : "horizontal"}
          className={`touch-none outline-none [&:focus-visible>circle]:stroke-[3] ${level ? "cursor-ns-resize" : "cursor-ew-resize"}`}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            event.preventDefault();
            event.currentTarget.focus();
          }}
          onPointerMove={(event) => {
            if (event.currentTarget.hasPointerCapture(event.pointerId)) move(under(event));
          }}
          onPointerUp={() => done(moved)}
          onPointerCancel={() => done(null)}
          onKeyDown={press}
          onKeyUp={() => done(moved)}
          onBlur={() => done(moved)}
        >
          {set ? <path d={across} stroke="transparent" strokeWidth="14" /> : null}
          <circle cx={grip.x} cy={grip.y} r={GRIP} fill="var(--color-paper)" stroke={hue} strokeWidth="1.6" />
        </g>
      ) : null}
    </g>
  );
}
