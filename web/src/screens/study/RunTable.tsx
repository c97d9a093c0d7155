import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { type ColumnDef, getCoreRowModel, useReactTable, type VisibilityState } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Schema } from "../../api/client";
import { type Asked, groupsQuery, PAGE_ROWS, tableQuery } from "../../api/queries";
import { Failed, Loading } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { cellAt, cellId, moved, type Place } from "./grid";
import { GroupRow, RunRow } from "./RunRow";
import { type Column, ROW_HEIGHT, type Row, WIDTHS, widthOfColumn } from "./rows";
import { TableTools } from "./TableTools";
import { usePairing } from "./usePairing";

type Line = { kind: "group"; group: Schema["Group"] } | { kind: "run"; index: number };

const FIRST_HIDDEN: VisibilityState = Object.fromEntries(
  [
    "run",
    "cpu_render_seconds",
    "wall_seconds",
    "structures_bytes",
    "frames_per_second",
    "reached",
    "machine",
    "version",
    "size",
    "load_before",
    "ended_at",
    "side",
  ].map((name) => [name, false]),
);
const PLAIN: Asked = { text: "", states: "", sort: "", group: "", old: false, throwaway: true };

/** All runs of a study: only the rows in view are drawn and asked for, so that thousands scroll like ten. */
export function RunTable({
  study,
  stamp,
  onShow,
}: {
  study: Schema["Study"];
  /** Changes when rows have changed. */
  stamp: string;
  onShow: (id: number) => void;
}) {
  const [asked, ask] = useRemembered<Asked>(`table of ${study.id}`, PLAIN);
  const [hidden, setHidden] = useRemembered<VisibilityState>("table columns", FIRST_HIDDEN);
  const [here, setHere] = useState<Place>({ row: 0, column: 0 });
  const pairing = usePairing();
  const box = useRef<HTMLDivElement>(null);
  const grid = useRef<HTMLTableElement>(null);
  // what stands stays until the next is there: a table that goes away takes the keyboard's place along
  const first = useQuery({ ...tableQuery(study.id, asked, 0), placeholderData: keepPreviousData });
  const groups = useQuery(groupsQuery(study.id, asked));
  const total = first.data?.total ?? 0;
  const lines = useMemo(
    () => linesOf(total, asked.group ? groups.data?.groups : undefined),
    [total, groups.data, asked.group],
  );
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 12,
  });
  useEffect(() => {
    if (grid.current !== document.activeElement) return;
    const cell = document.getElementById(cellId(here));
    cell?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [here]);
  const items = virtual.getVirtualItems();
  const pages = pagesOf(items.map((item) => lines[item.index]));
  const loaded = useQueries({ queries: pages.map((page) => tableQuery(study.id, asked, page)) });
  const rowAt = (index: number): Row | undefined => {
    const page = Math.floor(index / PAGE_ROWS);
    const data = loaded[pages.indexOf(page)]?.data ?? (page === 0 ? first.data : undefined);
    return data?.rows[index - page * PAGE_ROWS];
  };
  const refetch = [first.refetch, groups.refetch, ...loaded.map((each) => each.refetch)];
  useOnChange(stamp, () => {
    for (const again of refetch) void again();
  });
  const columns = first.data?.columns ?? NO_COLUMNS;
  const table = useColumns(columns, withFactorsHidden(columns, hidden));
  const shown = table.getVisibleLeafColumns().map((column) => column.columnDef.meta as Column);

  if (first.error && !first.data)
    return <Failed what="run table" error={first.error} retry={() => void first.refetch()} />;
  if (!first.data) return <Loading what="runs" />;
  const columnCount = shown.length + 2;
  const press = (event: KeyboardEvent) => {
    if (event.target !== grid.current) return withinCell(event, grid.current);
    const next = moved(here, event, { rows: lines.length, columns: columnCount });
    const row = runAt(lines, here.row, rowAt);
    const acts = [" ", "Enter"].includes(event.key);
    if (next) {
      setHere(next);
      if (next.row >= 0) virtual.scrollToIndex(next.row);
    } else if (acts && here.row < 0) buttonsOf(here)[0]?.click();
    else if (event.key === "Enter" && row && here.column === columnCount - 1) buttonsOf(here)[0]?.focus();
    else if (event.key === " " && row) pairing.choose(row);
    else if (event.key === "Enter" && row) onShow(row.id);
    else if (event.key === "p") pairing.look();
    else if (event.key === "Escape") pairing.clear();
    else return;
    event.preventDefault();
  };
  const failed = [first, ...loaded].find((each) => each.error)?.error;
  const before = items[0]?.start ?? 0;
  const after = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);
  return (
    <section aria-label="Run table">
      <TableTools
        {...{ study, asked, ask, pairing, total }}
        columns={first.data.columns}
        shown={shown.map((column) => column.name)}
        onColumn={(name, on) => setHidden({ ...hidden, [name]: on })}
      />
      {failed ? (
        <p role="alert" className="mb-2 text-fault">
          The table could not be brought up to date: {failed.message}
        </p>
      ) : null}
      <div ref={box} className="max-h-[30rem] overflow-auto border-edge border-y">
        <table
          ref={grid}
          // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: keys move through its cells
          role="grid"
          tabIndex={0}
          onKeyDown={press}
          className="run-grid table-fixed border-collapse text-sm"
          style={{ width: `${widthOf(shown)}px` }}
          aria-rowcount={lines.length + 1}
          aria-colcount={columnCount}
          aria-multiselectable
          aria-activedescendant={
            here.row < 0 || items.some((item) => item.index === here.row) ? cellId(here) : undefined
          }
          aria-label="Runs"
        >
          <colgroup>
            <col style={{ width: WIDTHS.picture }} />
            {shown.map((column) => (
              <col key={column.name} style={{ width: widthOfColumn(column) }} />
            ))}
            <col style={{ width: WIDTHS.acts }} />
          </colgroup>
          <thead className="sticky top-0 z-10 bg-paper text-xs">
            <Head shown={shown} asked={asked} ask={ask} here={here} />
          </thead>
          <tbody>
            <Gap height={before} />
            {items.map((item) => {
              const line = lines[item.index];
              if (!line) return null;
              if (line.kind === "group")
                return (
                  <GroupRow
                    key={`g${line.group.key}`}
                    group={line.group}
                    shown={shown}
                    index={item.index}
                    here={here.row === item.index ? here : null}
                  />
                );
              return (
                <RunRow
                  key={`r${line.index}`}
                  row={rowAt(line.index)}
                  shown={shown}
                  index={item.index}
                  here={here.row === item.index ? here : null}
                  side={pairing.sideOf(rowAt(line.index))}
                  onPoint={(column) => setHere({ row: item.index, column })}
                  onChoose={(row) => pairing.choose(row)}
                  onShow={onShow}
                />
              );
            })}
            <Gap height={after} />
          </tbody>
        </table>
      </div>
      {total === 0 ? <p className="mt-2 text-soft">{emptyWords(asked)}</p> : null}
      <p className="mt-1 text-soft text-xs">
        Arrows move; on a heading Enter sorts. Space picks a control and then a trial, p looks at their pair,
        Enter opens the log or goes to the last cell's buttons, Esc lets go.
      </p>
    </section>
  );
}

/** The rows that are not drawn, as room. */
function Gap({ height }: { height: number }) {
  return height > 0 ? <tr style={{ height: `${height}px` }} /> : null;
}

/** What stands in a cell that can be acted on. */
function buttonsOf(place: Place): HTMLButtonElement[] {
  return [...(document.getElementById(cellId(place))?.querySelectorAll("button") ?? [])];
}

/** Keys while one of a cell's buttons has the focus: arrows go among them, Esc goes back to the grid. */
function withinCell(event: KeyboardEvent, grid: HTMLTableElement | null) {
  const own = [...((event.target as HTMLElement).closest("td")?.querySelectorAll("button") ?? [])];
  const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (event.key === "Escape") grid?.focus();
  else if (step) own[own.indexOf(event.target as HTMLButtonElement) + step]?.focus();
  else return;
  event.preventDefault();
}

function Head({
  shown,
  asked,
  ask,
  here,
}: {
  shown: Column[];
  asked: Asked;
  ask: (asked: Asked) => void;
  here: Place;
}) {
  return (
    <tr className="shadow-[inset_0_-1px_0_var(--color-edge)]" aria-rowindex={1}>
      <th scope="col" {...cellAt(-1, 0, here)}>
        <span className="sr-only">Picture</span>
      </th>
      {shown.map((column, number) => {
        const down = asked.sort === `-${column.name}`;
        const up = asked.sort === column.name;
        return (
          <th
            key={column.name}
            {...cellAt(-1, number + 1, here)}
            scope="col"
            aria-sort={up ? "ascending" : down ? "descending" : "none"}
            className={`px-1.5 py-1 align-bottom ${column.number ? "text-right" : "text-left"}`}
          >
            <button
              type="button"
              tabIndex={-1}
              className={`font-semibold text-soft leading-tight hover:text-ink ${column.number ? "text-right" : "text-left"}`}
              onClick={() => ask({ ...asked, sort: up ? `-${column.name}` : down ? "" : column.name })}
            >
              {column.title}
              {column.unit && column.unit !== "bytes" ? ` (${column.unit})` : ""}
              {up ? " ↑" : down ? " ↓" : ""}
            </button>
          </th>
        );
      })}
      <th scope="col" {...cellAt(-1, shown.length + 1, here)}>
        <span className="sr-only">Actions</span>
      </th>
    </tr>
  );
}

/** Which columns stand; the server sorts and filters. */
function useColumns(columns: Column[], hidden: VisibilityState) {
  const definitions = useMemo<ColumnDef<Row>[]>(
    () => columns.map((column) => ({ id: column.name, header: column.title, meta: column })),
    [columns],
  );
  return useReactTable({
    data: NO_ROWS,
    columns: definitions,
    state: { columnVisibility: hidden },
    manualSorting: true,
    manualFiltering: true,
    getCoreRowModel: getCoreRowModel(),
  });
}

const NO_ROWS: Row[] = [];
const NO_COLUMNS: Column[] = [];

/** The option's title names its levels, so the columns of single factors stand only when asked for. */
function withFactorsHidden(columns: Column[], hidden: VisibilityState): VisibilityState {
  const factors = columns.filter((column) => column.name.startsWith("factor:"));
  return { ...Object.fromEntries(factors.map((column) => [column.name, false])), ...hidden };
}

function linesOf(total: number, groups: Schema["Group"][] | undefined): Line[] {
  if (!groups) return Array.from({ length: total }, (_, index) => ({ kind: "run", index }));
  return groups.flatMap((group): Line[] => [
    { kind: "group", group },
    ...Array.from({ length: group.count }, (_, place): Line => ({ kind: "run", index: group.first + place })),
  ]);
}

function pagesOf(lines: (Line | undefined)[]): number[] {
  const indexes = lines.flatMap((line) => (line?.kind === "run" ? [Math.floor(line.index / PAGE_ROWS)] : []));
  return [...new Set(indexes)];
}

function runAt(lines: Line[], current: number, rowAt: (index: number) => Row | undefined): Row | undefined {
  const line = lines[current];
  return line?.kind === "run" ? rowAt(line.index) : undefined;
}

function widthOf(shown: Column[]): number {
  return WIDTHS.picture + WIDTHS.acts + shown.reduce((sum, column) => sum + widthOfColumn(column), 0);
}

function emptyWords(asked: Asked): string {
  return asked.text || asked.states
    ? "No run is like that; change what is looked for."
    : "No run yet: start the renders, and they appear here one by one.";
}

function useOnChange(value: string, act: () => void) {
  const last = useRef(value);
  useEffect(() => {
    if (last.current === value) return;
    last.current = value;
    act();
  });
}
