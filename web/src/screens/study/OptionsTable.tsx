import { useState } from "react";
import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { type LogAxis, logAxis } from "../../charts/logAxis";
import { copied, spread, three } from "../../parts/format";
import { useRemembered } from "../../parts/remembered";
import { SideMark } from "../../parts/Side";
import { COLUMNS, type Column, ends, type Figure, figureOf, ordered, ranks, standing } from "./options";

type Option = Schema["OptionSummary"];
type Scale = { at: LogAxis["at"]; figures: Map<string, Figure[]> };
type Sort = { by: Column | "name"; down: boolean };

const ACROSS = 72;
const HIGH = 14;
const ROOM = 4;
const MOST = 30;

/** All options with their time and noise drawn to one scale a column: which is best, and which as good for all one can tell. */
export function OptionsTable({ options, choice }: { options: Option[]; choice: number }) {
  const [sort, setSort] = useRemembered<Sort | null>("study.options.sort", null);
  const [all, setAll] = useState(false);
  const places = new Set(options.map((each) => each.place));
  const shown = COLUMNS.filter(({ name }) => options.some((each) => figureOf(each, name)));
  const scales = new Map(shown.map(({ name }) => [name, scaleOf(options, name)]));
  const rows = sort ? ordered(options, sort.by, sort.down) : options;
  const some = all ? rows : rows.slice(0, MOST);
  const turn = (by: Sort["by"]) =>
    setSort(sort?.by === by ? (sort.down ? null : { by, down: true }) : { by, down: false });
  return (
    <>
      <table className="table-plain w-full text-sm" aria-label="Options">
        <thead>
          <tr>
            <Heading name="name" title="Option" sort={sort} onTurn={turn} />
            {shown.map((column) => (
              <Heading key={column.name} name={column.name} title={column.title} sort={sort} onTurn={turn} />
            ))}
            <th scope="col">
              <span className="sr-only">Look</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {some.map((option) => (
            <tr key={option.id} data-option={option.id} className="group">
              <th scope="row" className="relative min-w-48 text-left font-normal">
                <SideMark side={option.control === 0 ? "control" : "trial"} />{" "}
                <span className={option.id === choice ? "font-semibold" : ""}>
                  {option.name}
                  {places.size > 1 ? `, ${option.place}` : ""}
                </span>
                {option.id === choice ? <span className="text-good"> chosen</span> : null}
                <span className="block text-soft text-xs">
                  {option.seeds} {option.seeds === 1 ? "seed" : "seeds"}
                  {option.open ? ", more to come" : ""}
                </span>
                {option.picture ? (
                  <img
                    src={`/api/pictures/${option.picture}/thumbnail/`}
                    alt=""
                    loading="lazy"
                    className="pointer-events-none absolute top-full left-8 z-20 hidden w-60 border border-edge group-focus-within:block group-hover:block"
                  />
                ) : null}
              </th>
              {shown.map((column) => (
                <td key={column.name} className="whitespace-nowrap">
                  <Cell
                    option={option}
                    column={column}
                    scale={scales.get(column.name) ?? scaleOf(options, column.name)}
                  />
                </td>
              ))}
              <td className="text-right">
                {option.pair ? (
                  <Link
                    to={`/pairs/${option.pair}`}
                    className="quiet-link"
                    aria-label={`Look at ${option.name}`}
                  >
                    Look
                  </Link>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-soft text-xs">
        Lines are 95 % intervals, one scale a column. Green: least for sure. Ringed: as little, for all that
        can be told. Ctrl C copies the figure under the pointer.
      </p>
      {rows.length > MOST ? (
        <button type="button" className="quiet-link mt-1 text-sm" onClick={() => setAll(!all)}>
          {all ? "Show fewer" : `Show all ${rows.length} options`}
        </button>
      ) : null}
    </>
  );
}

function Heading({
  name,
  title,
  sort,
  onTurn,
}: {
  name: Sort["by"];
  title: string;
  sort: Sort | null;
  onTurn: (by: Sort["by"]) => void;
}) {
  const own = sort?.by === name ? sort : null;
  return (
    <th scope="col" aria-sort={own ? (own.down ? "descending" : "ascending") : "none"}>
      <button type="button" className="font-semibold hover:underline" onClick={() => onTurn(name)}>
        {title}
        <span aria-hidden="true">{own ? (own.down ? " ↓" : " ↑") : ""}</span>
      </button>
    </th>
  );
}

function Cell({ option, column, scale }: { option: Option; column: (typeof COLUMNS)[number]; scale: Scale }) {
  const figure = figureOf(option, column.name);
  if (!figure) {
    const refused = option.open ? undefined : option.refused[column.name];
    if (refused) return <span className="block max-w-52 whitespace-normal text-soft text-xs">{refused}</span>;
    return <span className="text-soft">{option.open ? "to come" : "not measured"}</span>;
  }
  const ranked = ranks(option, column.name);
  const place = ranked ? standing(figure, scale.figures.get(option.place) ?? []) : "other";
  const [low, high] = ends(figure);
  const x = figure.value > 0 ? scale.at(figure.value) : ROOM;
  return (
    <span className="flex items-center gap-2" data-copy={copied(figure.value, column.unit, figure.interval)}>
      <svg width={ACROSS} height={HIGH} className="shrink-0" aria-hidden="true">
        <line x1={ROOM} x2={ACROSS - ROOM} y1={HIGH / 2} y2={HIGH / 2} className="stroke-line" />
        {low > 0 && high > low ? (
          <line
            x1={scale.at(low)}
            x2={scale.at(high)}
            y1={HIGH / 2}
            y2={HIGH / 2}
            className="stroke-ink"
            strokeWidth={2}
          />
        ) : null}
        {place === "as little" ? (
          <circle cx={x} cy={HIGH / 2} r={5.5} className="fill-none stroke-good" strokeWidth={1.5} />
        ) : null}
        <circle cx={x} cy={HIGH / 2} r={3} className={place === "least" ? "fill-good" : "fill-ink"} />
      </svg>
      <span
        className={place === "least" ? "font-semibold text-good" : ranked ? "" : "text-soft"}
        title={ranked ? undefined : option.why_not}
      >
        {three(figure.value)} {column.unit}
        <span className="sr-only">{place === "other" ? "" : `, ${place}`}</span>
        <span className="block font-normal text-soft text-xs leading-tight">
          {figure.interval ? spread(figure.interval) : ""}
        </span>
        {ranked ? null : (
          <span className="block text-soft text-xs leading-tight">
            not ranked<span className="sr-only">: {option.why_not}</span>
          </span>
        )}
      </span>
    </span>
  );
}

/** One axis for a column; what is compared is of one place, since scenes differ in noise and time by themselves. */
function scaleOf(options: Option[], column: Column): Scale {
  const figures = new Map<string, Figure[]>();
  for (const each of options) {
    const figure = figureOf(each, column);
    if (figure && ranks(each, column)) figures.set(each.place, [...(figures.get(each.place) ?? []), figure]);
  }
  const drawn = options.map((each) => figureOf(each, column)).filter((figure) => figure !== null);
  const { at } = logAxis(drawn.flatMap(ends), ROOM, ACROSS - ROOM);
  return { at, figures };
}
