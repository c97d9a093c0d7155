import { useState } from "react";
import type { Schema } from "../../api/client";
import { seconds, signed, spread, three } from "../../parts/format";

type Row = Schema["SameRow"];
type Cell = Schema["SameCell"];
export type Match = (cell: Cell, on: "noise" | "time", knob: string) => void;

/** Every option against the control: at the same noise, in the same time; worst and usual place below. */
export function SameTable(props: { rows: Row[]; what: string; match: Match; busy: boolean }) {
  const { rows, what } = props;
  const places = new Set(rows.flatMap((row) => row.cells.map((cell) => cell.place)));
  const many = places.size > 1;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard
    <div className="max-h-[26rem] overflow-auto" tabIndex={0}>
      <table className="table-plain w-full text-sm" aria-label={`The same ${what}, the same time`}>
        <thead>
          <tr>
            <th scope="col">Option</th>
            {many ? <th scope="col">Place</th> : null}
            <th scope="col" className="!text-right">
              At the same {what}: times as fast
            </th>
            <th scope="col" className="!text-right">
              In the same time: {what} ratio
            </th>
            <th scope="col" className="!text-right">
              Brightness, stops
            </th>
            <th scope="col">Render a matched pair</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => [
            ...row.cells.map((cell, number) => (
              <tr key={`${row.title} ${cell.place}`} data-option={row.title}>
                {number === 0 ? (
                  <th
                    scope="rowgroup"
                    rowSpan={row.cells.length + (many ? 1 : 0)}
                    className="max-w-56 text-left font-normal"
                  >
                    {row.title}
                  </th>
                ) : null}
                {many ? <td className="text-soft">{cell.place}</td> : null}
                <td className="number">
                  <SameNoise cell={cell} />
                </td>
                <td className="number">
                  <SameTime cell={cell} />
                </td>
                <td className="number">
                  {cell.shift == null ? (
                    <span className="text-soft">no shift told</span>
                  ) : (
                    signed(cell.shift, 2)
                  )}
                </td>
                <td>
                  <MatchButtons
                    cell={cell}
                    title={row.title}
                    many={many}
                    busy={props.busy}
                    match={props.match}
                  />
                </td>
              </tr>
            )),
            many ? (
              <tr key={`${row.title} in all`} data-summed={row.title}>
                <td className="font-semibold">In all</td>
                <td colSpan={4}>{row.words}</td>
              </tr>
            ) : null,
          ])}
        </tbody>
      </table>
    </div>
  );
}

/** Begins a search for the control's noise or time, by the quality knob or another number. */
function MatchButtons(props: { cell: Cell; title: string; many: boolean; busy: boolean; match: Match }) {
  const { cell, title } = props;
  const [knob, setKnob] = useState("");
  if (cell.control_option == null || cell.trial_option == null || cell.knobs.length === 0) return null;
  const where = props.many ? ` at ${cell.place}` : "";
  return (
    <span className="flex flex-wrap items-center gap-1.5">
      {(["noise", "time"] as const).map((on) => (
        <button
          key={on}
          type="button"
          className="act"
          disabled={props.busy}
          onClick={() => props.match(cell, on, knob)}
          aria-label={`Match on ${on}: ${title}${where}`}
        >
          Match on {on}
        </button>
      ))}
      {cell.knobs.length > 1 ? (
        <select
          className="border border-edge bg-field py-0.5"
          aria-label={`What a search changes of ${title}${where}`}
          value={knob}
          onChange={(event) => setKnob(event.target.value)}
        >
          {cell.knobs.map((each, number) => (
            <option key={each.name} value={number === 0 ? "" : each.name}>
              by {each.title.toLowerCase()}
            </option>
          ))}
        </select>
      ) : null}
    </span>
  );
}

function SameNoise({ cell }: { cell: Cell }) {
  const row = cell.same_noise;
  if (!row) return <span className="text-soft">{cell.lacks || "not known"}</span>;
  if (row.speed_up == null)
    return (
      <>
        {row.reachable === false ? <b>not reachable</b> : "cannot be told"}
        <Note>{row.note.replace("not reachable: ", "")}</Note>
      </>
    );
  return (
    <>
      {row.tie ? "no difference, " : ""}
      {three(row.speed_up)}
      <Note>
        {spread(row.interval)}; {seconds(row.trial_seconds)} for {three(row.noise_percent)} %
        {row.note ? `; ${row.note}` : ""}
      </Note>
    </>
  );
}

function SameTime({ cell }: { cell: Cell }) {
  const row = cell.same_time;
  if (!row) return <span className="text-soft">{cell.same_noise ? "not known" : ""}</span>;
  if (row.noise_ratio == null)
    return (
      <>
        cannot be told<Note>{row.note}</Note>
      </>
    );
  return (
    <>
      {row.tie ? "no difference, " : ""}
      {three(row.noise_ratio)}
      <Note>
        {spread(row.interval)}; in {seconds(row.seconds)}
      </Note>
    </>
  );
}

function Note({ children }: { children: React.ReactNode }) {
  return <span className="block text-soft text-xs leading-tight">{children}</span>;
}
