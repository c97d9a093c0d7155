import { type KeyboardEvent, useRef, useState } from "react";
import type { Schema } from "../../api/client";
import { SideMark } from "../../parts/Side";
import { addressOf, type Cell, nameOf, shapeOf, wordsOf, zoneTitle } from "./cells";
import type { PairOfCells } from "./usePairOfCells";

const MOST_ACROSS = 380;
const LEAST_ACROSS = 132;
const PAGE = 1210;
const HEADER = 110;

/** Rows and columns of pictures. Arrow keys move from cell to cell; Enter or a click chooses. */
export function ContactTable(props: {
  sheet: Schema["ContactSheet"];
  exposure: number;
  pairing: PairOfCells;
}) {
  const { sheet, exposure, pairing } = props;
  const [at, setAt] = useState<readonly [number, number]>([0, 0]);
  const table = useRef<HTMLTableElement>(null);
  const judged = sheet.references.length > 0;
  const columns = sheet.columns.values.length + (judged ? 1 : 0);
  const across = Math.round(Math.min(Math.max((PAGE - HEADER) / columns - 8, LEAST_ACROSS), MOST_ACROSS));
  const move = (event: KeyboardEvent) => {
    const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key];
    if (event.key === "Escape") pairing.clear();
    if (!step) return;
    event.preventDefault();
    const row = Math.min(Math.max(at[0] + (step[0] ?? 0), 0), sheet.cells.length - 1);
    const column = Math.min(Math.max(at[1] + (step[1] ?? 0), 0), sheet.columns.values.length - 1);
    setAt([row, column]);
    table.current?.querySelector<HTMLElement>(`[data-cell="${row} ${column}"]`)?.focus();
  };
  return (
    <table
      ref={table}
      className="border-separate border-spacing-x-2 border-spacing-y-1.5 text-sm"
      onKeyDown={move}
    >
      <thead>
        <tr className="align-bottom">
          <th scope="col" className="text-left font-normal text-soft text-xs">
            {sheet.rows.title} ↓ {sheet.columns.title} →
          </th>
          {judged ? (
            <th scope="col" className="text-left font-semibold">
              Reference
            </th>
          ) : null}
          {sheet.columns.values.map((value) => (
            <th key={value} scope="col" className="text-left font-semibold">
              {zoneTitle(value)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {sheet.references_above.length ? (
          <tr className="align-top">
            <th scope="row" className="w-24 text-left font-semibold">
              Reference
            </th>
            {sheet.references_above.map((reference, column) => (
              <td key={sheet.columns.values[column]} style={{ width: across }}>
                {reference ? (
                  <>
                    <Picture cell={reference} across={across} exposure={exposure} sheet={sheet} />
                    <p className="text-soft text-xs">{reference.title}</p>
                  </>
                ) : null}
              </td>
            ))}
          </tr>
        ) : null}
        {sheet.cells.map((cells, row) => {
          const name = sheet.rows.values[row] ?? "";
          const reference = sheet.references[row];
          return (
            <tr key={name} className="align-top">
              <th scope="row" className="w-24 break-words text-left font-semibold">
                {zoneTitle(name)}
              </th>
              {judged ? (
                <td style={{ width: across }}>
                  {reference ? (
                    <>
                      <Picture cell={reference} across={across} exposure={exposure} sheet={sheet} />
                      <p className="text-soft text-xs">{reference.title}</p>
                    </>
                  ) : null}
                </td>
              ) : null}
              {cells.map((cell, column) => (
                <td key={sheet.columns.values[column]} style={{ width: across }}>
                  <ChosenCell
                    cell={cell}
                    name={nameOf(cell, name, sheet.columns.values[column] ?? "")}
                    place={`${row} ${column}`}
                    current={at[0] === row && at[1] === column}
                    onFocus={() => setAt([row, column])}
                    chosen={
                      pairing.control !== null &&
                      pairing.control.option === cell.option &&
                      pairing.control.zone === cell.zone
                    }
                    onChoose={() => pairing.choose(cell)}
                  >
                    <Picture cell={cell} across={across} exposure={exposure} sheet={sheet} />
                  </ChosenCell>
                </td>
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function ChosenCell(props: {
  cell: Cell;
  name: string;
  place: string;
  current: boolean;
  chosen: boolean;
  onFocus: () => void;
  onChoose: () => void;
  children: React.ReactNode;
}) {
  const { cell, chosen } = props;
  return (
    <button
      type="button"
      data-cell={props.place}
      data-option={cell.option ?? ""}
      aria-label={props.name}
      aria-pressed={chosen}
      tabIndex={props.current ? 0 : -1}
      disabled={!cell.picture && !props.current}
      className="block w-full text-left"
      onFocus={props.onFocus}
      onClick={() => cell.picture && props.onChoose()}
    >
      {props.children}
      <span className="flex items-center gap-1 text-xs">
        {chosen ? <SideMark side="control" size={9} /> : null}
        <span className={cell.picture ? "" : "text-soft"}>{wordsOf(cell)}</span>
      </span>
    </button>
  );
}

/** The picture of a cell: small parts are enlarged in squares, large ones come reduced. */
function Picture(props: { cell: Cell; across: number; exposure: number; sheet: Schema["ContactSheet"] }) {
  const { cell, across, exposure, sheet } = props;
  const [gone, setGone] = useState("");
  const height = Math.round(across / shapeOf(cell));
  if (!cell.picture)
    return (
      <span
        className="block border border-line border-dashed"
        style={{ width: across, height: Math.min(height, across) }}
      />
    );
  const address = addressOf(cell, sheet.view_transform, exposure, across * devicePixelRatio);
  if (gone === address)
    return (
      <span
        className="flex items-center border border-fault p-2 text-fault text-xs"
        style={{ width: across, height }}
      >
        The picture is missing from the store, or cannot be read.
      </span>
    );
  return (
    <img
      src={address}
      alt=""
      width={across}
      height={height}
      loading="lazy"
      className="block bg-[#1c1c1c] [image-rendering:pixelated]"
      style={{ width: across, height }}
      onError={() => setGone(address)}
    />
  );
}
