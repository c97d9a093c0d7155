import { useQuery } from "@tanstack/react-query";
import type { Schema } from "../../api/client";
import { effectsQuery } from "../../api/queries";
import { signed, spread, three } from "../../parts/format";

type Effect = Schema["LevelEffect"];
type Together = Schema["Interaction"];

const MOST_TOLD = 6;
const FIGURES = [
  ["noise", "Noise ratio"],
  ["time", "Time ratio"],
  ["look", "Brightness, stops"],
] as const;

/** Which setting matters: what each level does to noise, time and look against the baseline's. */
export function EffectsOfSettings({ study, zone }: { study: number; zone: string }) {
  const effects = useQuery(effectsQuery(study, zone));
  if (!effects.data || effects.data.factors.length === 0) return null;
  const { factors, interactions, table } = effects.data;
  const told = interactions.filter((row) => !row.tie).sort((a, b) => strength(b) - strength(a));
  return (
    <section aria-label="Which setting matters" className="mt-8">
      <h2 className="mb-1 font-semibold">Which setting matters</h2>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard */}
      <div className="max-h-[22rem] overflow-auto" tabIndex={0}>
        <table className="table-plain w-full text-sm" aria-label="Effects of settings">
          <thead>
            <tr>
              <th scope="col">Setting</th>
              <th scope="col">Level</th>
              {FIGURES.map(([name, title]) => (
                <th key={name} scope="col" className="!text-right">
                  {title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {factors.flatMap((factor) => {
              const levels = [...new Set(FIGURES.flatMap(([name]) => factor[name].map((row) => row.level)))];
              return levels.map((level, number) => (
                <tr key={`${factor.subject} ${level}`}>
                  {number === 0 ? (
                    <th scope="rowgroup" rowSpan={levels.length} className="text-left font-normal">
                      {factor.title}
                      <span className="block text-soft text-xs">against {factor.baseline}</span>
                    </th>
                  ) : null}
                  <td>{level}</td>
                  {FIGURES.map(([name]) => (
                    <td key={name} className="number">
                      <Amount
                        row={factor[name].find((each) => each.level === level)}
                        signed={name === "look"}
                      />
                    </td>
                  ))}
                </tr>
              ));
            })}
          </tbody>
        </table>
      </div>
      <p className="mt-1 max-w-[62rem] text-soft text-xs">
        {table
          ? "Each figure is the mean over all levels of the other factors. "
          : "One thing at a time: each figure is the step from the baseline alone; a full table would also tell how settings work together. "}
        Below: its 95 % interval. “No difference” is what may be chance.
      </p>
      {table ? (
        <p className="mt-1 text-sm">
          {told.length === 0
            ? "No two settings change each other's effect as far as can be told."
            : `${told.slice(0, MOST_TOLD).map(togetherWords).join(" ")}${told.length > MOST_TOLD ? ` ${told.length - MOST_TOLD} more are weaker.` : ""}`}
        </p>
      ) : null}
    </section>
  );
}

/** How far two levels together are from what each alone would give. */
function togetherWords(row: Together): string {
  const look = row.of === "look";
  const amount = look ? stops(row.value) : `${three(row.value)} times`;
  const ends = look ? row.interval.map(stops).join(" to ") : spread(row.interval);
  return `${row.first} with ${row.second}: ${row.of} ${amount} what each alone would give (${ends}).`;
}

function strength(row: Together): number {
  return row.of === "look" ? Math.abs(row.value) : Math.abs(Math.log2(row.value));
}

function Amount({ row, signed }: { row: Effect | undefined; signed: boolean }) {
  if (!row) return <span className="text-soft">not known</span>;
  const words = signed ? stops(row.value) : three(row.value);
  return (
    <span className={row.tie ? "text-soft" : ""}>
      {row.tie ? "no difference, " : ""}
      {words}
      <span className="block text-soft text-xs leading-tight">
        {signed ? row.interval.map(stops).join(" to ") : spread(row.interval)}
        {row.over > 1 ? `, over ${row.over}` : ""}
      </span>
    </span>
  );
}

function stops(value: number): string {
  return signed(value, 3);
}
