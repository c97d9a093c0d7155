import { useState } from "react";
import type { Schema } from "../../api/client";
import { Labelled } from "../../parts/Labelled";
import { useRemembered } from "../../parts/remembered";

type Proposed = Schema["ProposedLadder"];
type Row = { proposed: Proposed; on: boolean; levels: string };

const SIZES = [
  [0.25, "a quarter of the width"],
  [0.5, "half the width"],
  [1, "the full size"],
] as const;

const WAYS = {
  raise:
    "Each setting is compared with its maximum and raised until the picture stops changing. Then once more, since settings may need each other.",
  explore:
    "Combinations are proposed from what was tried so far (Optuna), each compared with all settings at their maximum. It needs a budget.",
};

/** What is raised, through which levels, in which order, and when the picture counts as unchanged. */
export function SearchForm(props: {
  base: number;
  title: string;
  proposed: Proposed[];
  zones: string[];
  frame: number;
  firstFrame: number;
  lastFrame: number;
  /** Whether it was asked for at full size, whatever was chosen last. */
  fullSize: boolean;
  busy: boolean;
  onBegin: (asked: Schema["NewSearchRequest"]) => void;
}) {
  const [rows, setRows] = useState<Row[]>(() =>
    props.proposed.map((proposed) => ({ proposed, on: proposed.wanted, levels: proposed.levels.join(", ") })),
  );
  const [remembered, setScale] = useRemembered("search.scale", 0.5);
  const [asked, setAsked] = useState(props.fullSize ? 1 : null);
  const scale = asked ?? remembered;
  const [zone, setZone] = useState("");
  const [stops, setStops] = useRemembered("search.stops", "0.02");
  const [colour, setColour] = useRemembered("search.colour", "0.5");
  const [percent, setPercent] = useRemembered("search.percent", "2");
  const [detail, setDetail] = useRemembered("search.detail", "5");
  const [budget, setBudget] = useState("");
  const [minutes, setMinutes] = useState("");
  const [way, setWay] = useState<Schema["NewSearchRequest"]["way"]>("raise");
  const [frames, setFrames] = useState(String(props.frame));
  const [safety, setSafety] = useState(0);
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
          zone,
          most_stops: Number(stops),
          most_colour: Number(colour),
          most_percent: Number(percent),
          most_detail: detail.trim() ? Number(detail) : null,
          most_renders: budget.trim() ? Number(budget) : null,
          most_minutes: minutes.trim() ? Number(minutes) : null,
          way,
          frames: numbersOf(frames),
          more_levels: numbersOf(frames).length > 1 ? safety : 0,
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
        <Labelled title="Way">
          <select
            className="field"
            value={way}
            onChange={(event) => setWay(event.target.value as "raise" | "explore")}
          >
            <option value="raise">raise one after the other</option>
            <option value="explore">explore combinations</option>
          </select>
        </Labelled>
        <Labelled title="Searched at">
          <select
            className="field"
            value={scale}
            onChange={(event) => {
              setAsked(null);
              setScale(Number(event.target.value));
            }}
          >
            {SIZES.map(([value, title]) => (
              <option key={value} value={value}>
                {title}
              </option>
            ))}
          </select>
        </Labelled>
        {props.zones.length > 0 ? (
          <Labelled title="Part">
            <select className="field" value={zone} onChange={(event) => setZone(event.target.value)}>
              <option value="">the whole picture</option>
              {props.zones.map((name) => (
                <option key={name} value={name}>
                  {name} alone
                </option>
              ))}
            </select>
          </Labelled>
        ) : null}
        {(
          [
            ["Unchanged up to, stops", stops, setStops, ""],
            ["ΔE00 of colour", colour, setColour, ""],
            ["% in a cell", percent, setPercent, ""],
            ["% of detail", detail, setDetail, "not looked at"],
            ["Budget, renders", budget, setBudget, "no limit"],
            ["Budget, minutes", minutes, setMinutes, "no limit"],
          ] as const
        ).map(([title, value, set, empty]) => (
          <Labelled key={title} title={title}>
            <input
              className="field w-24 text-right"
              inputMode="decimal"
              placeholder={empty}
              value={value}
              onChange={(event) => set(event.target.value)}
            />
          </Labelled>
        ))}
        {props.lastFrame > props.firstFrame ? (
          <Labelled title={`Frames looked at, of ${props.firstFrame} to ${props.lastFrame}`}>
            <input
              className="field w-56"
              value={frames}
              placeholder={`such as ${props.firstFrame}, ${props.lastFrame}`}
              onChange={(event) => setFrames(event.target.value)}
            />
          </Labelled>
        ) : null}
        {numbersOf(frames).length > 1 ? (
          <Labelled title="Safety of the ranges">
            <select
              className="field"
              value={safety}
              onChange={(event) => setSafety(Number(event.target.value))}
            >
              <option value={0}>the higher of two frames</option>
              <option value={1}>and one level more</option>
              <option value={2}>and two levels more</option>
            </select>
          </Labelled>
        ) : null}
        <button type="submit" className="act" data-kind="main" disabled={props.busy || wanted.length === 0}>
          Search
        </button>
      </div>
      <p className="mt-2 max-w-[58rem] text-soft text-sm">
        Begins from {props.title === "as the control" ? "the control" : props.title}. {WAYS[way]} The result
        is rendered at full size beside the present settings.
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
