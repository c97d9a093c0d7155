import type { Schema } from "../../api/client";
import { type ChartPoint, type ChartSeries, LogChart } from "../../charts/LogChart";
import { CONTROL_MARK, type Mark, MarkKey, trialMark } from "../../charts/marks";
import { Choice } from "../../parts/Choice";
import { three } from "../../parts/format";
import { grouped } from "../../parts/grouped";
import { Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { addressOf, titleOf } from "./standing";

type Row = Schema["MeasureRow"];
type Kind = Schema["MeasureKind"];
type Value = { value: number; interval: number[] | null };
type Of = (row: Row) => Value | null;

const TIME = "time";
const WIDE = [760, 400] as const;
const SMALL = [400, 270] as const;

/** Any measure against any other or against time: a chart for each zone and place. */
export function MeasureScatter({
  seconds,
  kinds,
  rows,
}: {
  /** What a render of each option takes. */
  seconds: Map<number, Value | null>;
  kinds: readonly Kind[];
  rows: readonly Row[];
}) {
  const [across, setAcross] = useRemembered("measures.across", TIME);
  const [up, setUp] = useRemembered("measures.up", "visible_noise");
  const choices = [
    [TIME, "Time"] as const,
    ...kinds.map((kind) => [kind.name, kind.unit ? `${kind.title}, ${kind.unit}` : kind.title] as const),
  ];
  const known = (name: string, otherwise: string) =>
    choices.some(([each]) => each === name) ? name : otherwise;
  const [x, y] = [known(across, TIME), known(up, kinds[0]?.name ?? TIME)];
  const of = (name: string): Of => {
    if (name === TIME) return (row) => seconds.get(row.option) ?? null;
    const kind = kinds.find((each) => each.name === name);
    return (row) => {
      const cell = row.cells[name];
      return cell?.value == null ? null : sized({ value: cell.value, interval: cell.interval }, kind);
    };
  };
  const marks = marksOf(rows);
  const groups = [...grouped(rows, (row) => `${row.place}\n${row.zone}`).values()];
  const places = new Set(rows.map((row) => row.place));
  const charts = groups.flatMap((group) => {
    const [first] = group;
    const series = seriesOf(group, marks, kinds.find((kind) => kind.name === y) ?? kinds[0], of(x), of(y));
    if (!first || series.length === 0) return [];
    const zone = first.zone === "whole" ? "Whole picture" : first.zone;
    return [
      { key: `${first.place} ${zone}`, title: places.size > 1 ? `${zone}, ${first.place}` : zone, series },
    ];
  });
  const title = (name: string) => {
    const words = choices.find(([each]) => each === name)?.[1] ?? "";
    return name === TIME ? "seconds a render" : words;
  };
  return (
    <div data-part="scatter">
      <div className="mb-2 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-sm">
        <Choice label="Up" value={y} choices={choices} onChoose={setUp} />
        <Choice label="Across" value={x} choices={choices} onChoose={setAcross} />
        {[...marks].map(([name, mark]) => (
          <span key={name} className="inline-flex items-center gap-1">
            <MarkKey mark={mark} /> {name}
          </span>
        ))}
      </div>
      {charts.length === 0 ? (
        <Notice kind="plain">
          <p>No option has both figures, above 0.</p>
        </Notice>
      ) : (
        <div
          className={
            charts.length > 1 ? "grid grid-cols-[repeat(auto-fill,minmax(22rem,1fr))] gap-4" : "max-w-[52rem]"
          }
        >
          {charts.map((chart) => (
            <div key={chart.key}>
              {charts.length > 1 ? <h2 className="font-semibold text-sm">{chart.title}</h2> : null}
              <LogChart
                label={`${title(y)} against ${title(x)}, ${chart.title}`}
                xTitle={title(x)}
                yTitle={title(y)}
                series={chart.series}
                size={charts.length > 1 ? SMALL : WIDE}
              />
            </div>
          ))}
        </div>
      )}
    </div>
  );
}

/** A shift either way as how large it is: an axis in ratios has no place for what is below 0. */
function sized(figure: Value, kind: Kind | undefined): Value {
  if (kind?.better !== "nearest 0") return figure;
  const [low = 0, high = 0] = figure.interval ?? [];
  const half = figure.interval ? (high - low) / 2 : 0;
  const value = Math.abs(figure.value);
  return { value, interval: figure.interval ? [Math.max(value - half, value / 10), value + half] : null };
}

/** One mark an option, whatever zone and place; the controls share theirs. */
function marksOf(rows: readonly Row[]): Map<string, Mark> {
  const controls = new Set(rows.filter((row) => row.side === "control").map(titleOf));
  const names = [...new Set(rows.map(titleOf))];
  const trials = names.filter((name) => !controls.has(name));
  return new Map(
    names.map((name) => [name, controls.has(name) ? CONTROL_MARK : trialMark(trials.indexOf(name))]),
  );
}

function seriesOf(
  rows: readonly Row[],
  marks: Map<string, Mark>,
  shown: Kind | undefined,
  x: Of,
  y: Of,
): ChartSeries[] {
  return [...grouped(rows, titleOf)].flatMap(([name, own]) => {
    const points = own.flatMap((row): ChartPoint[] => {
      const [across, up] = [x(row), y(row)];
      if (!across || !up || !(across.value > 0) || !(up.value > 0)) return [];
      return [
        {
          key: `${row.option} ${row.zone}`,
          x: across.value,
          y: up.value,
          xInterval: across.interval,
          yInterval: up.interval,
          to: row.pair && shown ? addressOf(row, shown) : undefined,
          words: [titleOf(row), `${three(up.value)} up, ${three(across.value)} across`],
        },
      ];
    });
    return points.length > 0
      ? [{ key: name, title: name, mark: marks.get(name) ?? CONTROL_MARK, points }]
      : [];
  });
}
