import { Link } from "react-router";
import type { Schema } from "../../api/client";
import { fixed, signed, spread, three } from "../../parts/format";
import { HoverPicture } from "../../parts/HoverPicture";
import { SideMark, type SideName } from "../../parts/Side";
import { shadeColour, shadeKey, shades } from "./heat";
import { addressOf, titleOf } from "./standing";

type Kind = Schema["MeasureKind"];
type Row = Schema["MeasureRow"];
type Cell = Schema["MeasureCell"];

const DIRECTION: Record<string, string> = {
  lower: "lower is better",
  "nearest 0": "nearer to 0 is better",
  "nearest 1": "nearer to 1 is better",
};

/** One row an option and zone, one column a measure; each figure leads to its map on the picture. */
export function MeasureTable(props: { kinds: Kind[]; rows: Row[]; zoned: boolean; judged: boolean }) {
  const { rows, zoned, judged } = props;
  const kinds = props.kinds.filter((kind) => judged || !kind.by_reference);
  const places = new Set(rows.map((row) => row.place));
  const shade = shades(rows, kinds);
  return (
    <>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a table wider than its box is scrolled by keyboard */}
      <div className="min-h-0 overflow-auto" tabIndex={0} data-part="measures">
        <table className="table-plain text-sm" aria-label="Measures">
          <thead>
            <tr>
              <th scope="col" className="sticky left-0 z-10 bg-paper">
                Option
              </th>
              {zoned ? <th scope="col">Zone</th> : null}
              {kinds.map((kind) => (
                <th key={kind.name} scope="col" className="!text-right align-bottom" title={aboutOf(kind)}>
                  {kind.title}
                  <span className="block font-normal text-soft text-xs">{kind.unit}</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={`${row.option} ${row.zone}`} data-option={row.option} data-zone={row.zone}>
                <th
                  scope="row"
                  className="sticky left-0 z-10 min-w-44 max-w-56 bg-paper text-left font-normal"
                >
                  <span className="flex items-baseline gap-1.5">
                    <SideMark side={row.side as SideName} size={9} />
                    <HoverPicture picture={row.picture}>{titleOf(row)}</HoverPicture>
                  </span>
                  {places.size > 1 ? <span className="block text-soft text-xs">{row.place}</span> : null}
                </th>
                {zoned ? <td>{row.zone === "whole" ? "Whole picture" : row.zone}</td> : null}
                {kinds.map((kind) => (
                  <td
                    key={kind.name}
                    className="number"
                    data-measure={kind.name}
                    style={{ backgroundColor: shadeColour(shade.get(shadeKey(row, kind))) }}
                  >
                    <Figure row={row} kind={kind} cell={row.cells[kind.name]} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-2 max-w-[62rem] text-soft text-xs">
        Below each figure: its 95 % interval. <b>Best</b> is marked only where the difference from every other
        is more than chance; <b>tie</b> where it is no different from the best. The darker a cell, the worse
        it is of its column, within one place and zone. Hold the pointer over a heading for what it means,
        over a dash for why there is no figure. A figure leads to its map.
      </p>
    </>
  );
}

function Figure({ row, kind, cell }: { row: Row; kind: Kind; cell: Cell | undefined }) {
  if (!cell) return null;
  if (cell.value == null) return <Nothing cell={cell} row={row} kind={kind} />;
  const figure = (
    <>
      <span className="sr-only">
        {kind.title} of {titleOf(row)}, look at its map:{" "}
      </span>
      <span className={cell.standing === "best" ? "font-semibold" : ""}>{shown(cell.value, kind)}</span>
      <span className="block whitespace-nowrap text-soft text-xs leading-tight">{spreadOf(cell, kind)}</span>
    </>
  );
  return (
    <span
      data-standing={cell.standing}
      data-stale={cell.out_of_date}
      data-copy={`${shown(cell.value, kind)} ${kind.unit} ${spreadOf(cell, kind)}`.trim()}
      title={cell.why_not}
    >
      {row.pair ? (
        <Link to={addressOf(row, kind)} className="quiet-link">
          {figure}
        </Link>
      ) : (
        figure
      )}
      {cell.standing ? (
        <span
          className={`block text-xs leading-tight ${cell.standing === "best" ? "font-semibold text-good" : ""}`}
        >
          {cell.standing}
        </span>
      ) : null}
      {cell.out_of_date ? <span className="block text-fault text-xs leading-tight">out of date</span> : null}
      {cell.method === "single" ? (
        <span className="block text-fault text-xs leading-tight">a guess</span>
      ) : null}
    </span>
  );
}

/** No figure: a word for it, and the whole reason at the pointer and for a screen reader. */
function Nothing({ cell, row, kind }: { cell: Cell; row: Row; kind: Kind }) {
  const none =
    cell.found === false || cell.refused.startsWith("none can be told") || cell.refused.startsWith("no slow");
  const word = none ? "none seen" : cell.refused === "not measured yet" ? "not yet" : "–";
  const words = (
    <span className="whitespace-nowrap text-soft" title={cell.refused}>
      {word}
      <span className="sr-only">: {cell.refused}</span>
    </span>
  );
  return none && row.pair ? (
    <Link to={addressOf(row, kind)} className="quiet-link">
      {words}
    </Link>
  ) : (
    words
  );
}

function shown(value: number, kind: Kind): string {
  if (kind.unit !== "stops") return three(value);
  return signed(value, 3);
}

function spreadOf(cell: Cell, kind: Kind): string {
  const [low, high] = cell.interval ?? [];
  if (kind.unit !== "stops" || low === undefined || high === undefined) return spread(cell.interval);
  return `± ${fixed((high - low) / 2, 3)}`;
}

function aboutOf(kind: Kind): string {
  const better = DIRECTION[kind.better];
  return `${kind.about}${better ? ` (${better})` : ""}`;
}
