import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { type ChartPoint, LogChart } from "../../charts/LogChart";
import { type Mark, trialMark } from "../../charts/marks";
import { stepsOf } from "../../charts/steps";
import { seconds, settingsInWords, three } from "../../parts/format";

type Way = Schema["Way"];

const BEATEN: Mark = { hue: "var(--color-edge)", shape: "circle", dash: "" };
const LEAST_SHOWN = 0.01;

/** What exploring tried: time against change, and each way in a table. */
export function Ways({ row }: { row: Schema["Search"] }) {
  const several = new Set(row.ways.map((way) => way.frame)).size > 1;
  const known = row.ways.filter((way) => way.seconds != null && way.amount != null);
  const front = known
    .filter((way) => way.on_frontier)
    .sort((a, b) => (a.evened_seconds ?? 0) - (b.evened_seconds ?? 0))
    .map(pointOf);
  return (
    <div className="grid grid-cols-[minmax(0,2fr)_minmax(0,3fr)] gap-6">
      {several ? null : (
        <LogChart
          label="Time against change"
          xTitle="rendering seconds, evened out"
          yTitle="change, of the threshold"
          series={[
            {
              key: "beaten",
              title: "beaten",
              mark: BEATEN,
              points: known.filter((way) => !way.on_frontier).map(pointOf),
            },
            {
              key: "frontier",
              title: "the frontier",
              mark: trialMark(0),
              points: front,
              line: stepsOf(front),
            },
          ].filter((series) => series.points.length > 0)}
        />
      )}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard */}
      <div className={`max-h-[19.3rem] overflow-auto ${several ? "col-span-2" : ""}`} tabIndex={0}>
        <table className="table-plain w-full text-sm" aria-label="Ways that were tried">
          <thead>
            <tr>
              {several ? (
                <th scope="col" className="!text-right">
                  Frame
                </th>
              ) : null}
              <th scope="col">Way</th>
              <th scope="col" className="!text-right">
                Seconds
              </th>
              <th scope="col" className="!text-right">
                Of the threshold
              </th>
              <th scope="col">Changes against the highest</th>
            </tr>
          </thead>
          <tbody>
            {row.ways.map((way) => (
              <tr key={keyOf(way)} data-frontier={way.on_frontier}>
                {several ? <td className="number">{way.frame}</td> : null}
                <th scope="row" className={`text-left ${way.on_frontier ? "font-semibold" : "font-normal"}`}>
                  {titleOf(way)}
                </th>
                <td className="number">{way.seconds == null ? "–" : three(way.seconds)}</td>
                <td className="number">{way.amount == null ? "–" : three(way.amount)}</td>
                <td>
                  {way.amount == null ? (
                    "failed, or still to come"
                  ) : way.pair ? (
                    <Link to={`/pairs/${way.pair}`} className="quiet-link">
                      {way.change || "nothing that can be told"}
                    </Link>
                  ) : (
                    "the highest of all"
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

function titleOf(way: Way): string {
  return settingsInWords(way.settings);
}

function keyOf(way: Way): string {
  return `${way.frame} ${titleOf(way)}`;
}

function pointOf(way: Way): ChartPoint {
  return {
    key: keyOf(way),
    x: way.evened_seconds ?? 0,
    y: Math.max(way.amount ?? 0, LEAST_SHOWN),
    to: way.pair ? `/pairs/${way.pair}` : undefined,
    hollow: (way.amount ?? 0) > 1,
    words: [
      titleOf(way),
      `${seconds(way.seconds)}, evened out ${seconds(way.evened_seconds)}`,
      way.change ? `${three(way.amount ?? 0)} of the threshold: ${way.change}` : "no change that can be told",
    ],
  };
}
