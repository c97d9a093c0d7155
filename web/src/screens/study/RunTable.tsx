import { useQueries, useQuery } from "@tanstack/react-query";
import { type ColumnDef, getCoreRowModel, useReactTable, type VisibilityState } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Schema } from "../../api/client";
import { type Asked, groupsQuery, PAGE_ROWS, tableQuery } from "../../api/queries";
import { Failed, Loading } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
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
  const [current, setCurrent] = useState(0);
  const pairing = usePairing();
  const box = useRef<HTMLDivElement>(null);
  const first = useQuery(tableQuery(study.id, asked, 0));
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
  const press = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 10, PageUp: -10 }[event.key];
    const row = runAt(lines, current, rowAt);
    if (step !== undefined) {
      const next = Math.min(Math.max(current + step, 0), lines.length - 1);
      setCurrent(next);
      virtual.scrollToIndex(next);
    } else if (event.key === " " && row) pairing.choose(row);
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
      {/* biome-ignore lint/a11y/noStaticElementInteractions: the keys move through the table that it scrolls */}
      <div
        ref={box}
        className="max-h-[30rem] overflow-auto border-edge border-y"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the table is driven by the keyboard
        tabIndex={0}
        onKeyDown={press}
      >
        <table
          className="table-fixed border-collapse text-sm"
          style={{ width: `${widthOf(shown)}px` }}
          aria-rowcount={lines.length}
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
            <Head shown={shown} asked={asked} ask={ask} />
          </thead>
          <tbody>
            <Gap height={before} />
            {items.map((item) => {
              const line = lines[item.index];
              if (!line) return null;
              if (line.kind === "group")
                return <GroupRow key={`g${line.group.key}`} group={line.group} shown={shown} />;
              return (
                <RunRow
                  key={`r${line.index}`}
                  row={rowAt(line.index)}
                  shown={shown}
                  current={item.index === current}
                  side={pairing.sideOf(rowAt(line.index))}
                  onPoint={() => setCurrent(item.index)}
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
        Arrows move, space picks a control and then a trial, p looks at their pair, Enter opens the log, Esc
        lets go.
      </p>
    </section>
  );
}

/** The rows that are not drawn, as room. */
function Gap({ height }: { height: number }) {
  return height > 0 ? <tr style={{ height: `${height}px` }} /> : null;
}

function Head({ shown, asked, ask }: { shown: Column[]; asked: Asked; ask: (asked: Asked) => void }) {
  return (
    <tr className="shadow-[inset_0_-1px_0_var(--color-edge)]">
      <th scope="col">
        <span className="sr-only">Picture</span>
      </th>
      {shown.map((column) => {
        const down = asked.sort === `-${column.name}`;
        const up = asked.sort === column.name;
        return (
          <th
            key={column.name}
            scope="col"
            aria-sort={up ? "ascending" : down ? "descending" : "none"}
            className={`px-1.5 py-1 align-bottom ${column.number ? "text-right" : "text-left"}`}
          >
            <button
              type="button"
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
      <th scope="col">
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
