import { AxisBottom, AxisLeft } from "@visx/axis";
import { GridColumns, GridRows } from "@visx/grid";
import type { ScaleLinear, ScaleLogarithmic } from "d3-scale";

/** A scale with the marks that are written at it. */
export type Axis<Scale = ScaleLinear<number, number> | ScaleLogarithmic<number, number>> = {
  at: Scale;
  ticks: { value: number; words: string }[];
};
/** Where a chart's lines run, in its own units. */
export type Box = { left: number; right: number; top: number; bottom: number };

/** The axes of a chart with their marks, and the grid behind what it shows. */
export function ChartFrame({
  x,
  y,
  box,
  columns = false,
  fontSize = 12.5,
}: {
  x: Axis;
  y: Axis;
  box: Box;
  /** Whether lines run down as well as across. */
  columns?: boolean;
  fontSize?: number;
}) {
  const grid = { stroke: "var(--color-line)" };
  const axis = { hideTicks: true, stroke: "var(--color-edge)", tickLength: 0 };
  const words = { fill: "var(--color-soft)", fontFamily: "inherit", fontSize };
  return (
    <>
      <GridRows scale={y.at} left={box.left} width={box.right - box.left} tickValues={values(y)} {...grid} />
      {columns ? (
        <GridColumns
          scale={x.at}
          top={box.top}
          height={box.bottom - box.top}
          tickValues={values(x)}
          {...grid}
        />
      ) : null}
      <AxisLeft
        scale={y.at}
        left={box.left}
        tickValues={values(y)}
        tickFormat={(value) => wordsAt(y, Number(value))}
        tickLabelProps={{ ...words, textAnchor: "end", dx: -6, dy: "0.33em" }}
        {...axis}
      />
      <AxisBottom
        scale={x.at}
        top={box.bottom}
        tickValues={values(x)}
        tickFormat={(value) => wordsAt(x, Number(value))}
        tickLabelProps={{ ...words, textAnchor: "middle", dy: "0.4em" }}
        {...axis}
      />
    </>
  );
}

/** What an axis is about, at the end of it: across below, up beside. */
export function AxisTitle({ words, axis, at }: { words: string; axis: "x" | "y"; at: [number, number] }) {
  const [left, top] = at;
  const place = axis === "x" ? { x: left, y: top } : { transform: `translate(${left} ${top}) rotate(-90)` };
  return (
    <text {...place} textAnchor="end" fill="var(--color-ink)">
      {words}
    </text>
  );
}

function values(axis: Axis): number[] {
  return axis.ticks.map((tick) => tick.value);
}

function wordsAt(axis: Axis, value: number): string {
  return axis.ticks.find((tick) => tick.value === value)?.words ?? "";
}
