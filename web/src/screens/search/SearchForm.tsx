import { useState } from "react";
import type { Schema } from "../../api/client";
import { Labelled } from "../../parts/Labelled";

type Proposed = Schema["ProposedLadder"];
type Row = { proposed: Proposed; on: boolean; levels: string };

const SIZES = [
  [0.25, "a quarter of the width"],
  [0.5, "half the width"],
  [1, "the full size"],
] as const;

/** What is raised, through which levels, in which order, and when the picture counts as unchanged. */
export function SearchForm(props: {
  base: number;
  title: string;
  proposed: Proposed[];
  busy: boolean;
  onBegin: (asked: Schema["NewSearchRequest"]) => void;
}) {
  const [rows, setRows] = useState<Row[]>(() =>
    props.proposed.map((proposed) => ({ proposed, on: proposed.wanted, levels: proposed.levels.join(", ") })),
  );
  const [scale, setScale] = useState(0.5);
  const [stops, setStops] = useState("0.02");
  const [colour, setColour] = useState("0.5");
  const [percent, setPercent] = useState("2");
  const [budget, setBudget] = useState("");
  const change = (at: number, to: Partial<Row>) =>
    setRows(rows.map((row, number) => (number === at ? { ...row, ...to } : row)));
  const earlier = (at: number) => {
    const moved = [...rows];
    const [row] = moved.splice(at, 1);
    if (row) moved.splice(at - 1, 0, row);
    setRows(moved);
  };
  const wanted = rows.filter((row) => row.on);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        props.onBegin({
          base: props.base,
          ladders: wanted.map((row) => ({ setting: row.proposed.setting, levels: numbersOf(row.levels) })),
          scale,
          most_stops: Number(stops),
          most_colour: Number(colour),
          most_percent: Number(percent),
          most_renders: budget.trim() ? Number(budget) : null,
        });
      }}
    >
      <table className="table-plain text-sm" aria-label="What is raised">
        <thead>
          <tr>
            <th scope="col">Setting, in this order</th>
            <th scope="col">Levels from low to high</th>
            <th scope="col">
              <span className="sr-only">Order</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, number) => (
            <tr key={row.proposed.setting}>
              <th scope="row" className="pr-6 text-left font-normal" title={row.proposed.about}>
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={row.on}
                    onChange={(event) => change(number, { on: event.target.checked })}
                  />
                  {row.proposed.title}
                </label>
              </th>
              <td>
                <input
                  className="field w-72"
                  aria-label={`Levels of ${row.proposed.title}`}
                  disabled={!row.on}
                  value={row.levels}
                  onChange={(event) => change(number, { levels: event.target.value })}
                />{" "}
                <span className="text-soft">{row.proposed.unit}</span>
              </td>
              <td>
                {number > 0 ? (
                  <button
                    type="button"
                    className="act"
                    onClick={() => earlier(number)}
                    aria-label={`Earlier: ${row.proposed.title}`}
                  >
                    Earlier
                  </button>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <Labelled title="Searched at">
          <select className="field" value={scale} onChange={(event) => setScale(Number(event.target.value))}>
            {SIZES.map(([value, title]) => (
              <option key={value} value={value}>
                {title}
              </option>
            ))}
          </select>
        </Labelled>
        {(
          [
            ["Unchanged up to, stops", stops, setStops],
            ["ΔE00 of colour", colour, setColour],
            ["% in a cell", percent, setPercent],
          ] as const
        ).map(([title, value, set]) => (
          <Labelled key={title} title={title}>
            <input
              className="field w-28 text-right"
              inputMode="decimal"
              value={value}
              onChange={(event) => set(event.target.value)}
            />
          </Labelled>
        ))}
        <Labelled title="Budget, renders">
          <input
            className="field w-28 text-right"
            inputMode="numeric"
            placeholder="no limit"
            value={budget}
            onChange={(event) => setBudget(event.target.value)}
          />
        </Labelled>
        <button type="submit" className="act" data-kind="main" disabled={props.busy || wanted.length === 0}>
          Search
        </button>
      </div>
      <p className="mt-2 max-w-[58rem] text-soft text-sm">
        Begins from {props.title === "as the control" ? "the control" : props.title}. Each setting is held
        against its highest level, the others as they are by then; a lowest level that changes nothing is
        left. Then once more, since settings may need each other. The result is rendered at full size beside
        the present settings.
      </p>
    </form>
  );
}

function numbersOf(text: string): number[] {
  return text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number);
}
