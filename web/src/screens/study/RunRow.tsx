import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { duration, megabytes, optionTitle, three } from "../../parts/format";
import { SideMark, type SideName } from "../../parts/Side";
import { cellAt, type Place } from "./grid";
import { type Column, named, ROW_HEIGHT, type Row } from "./rows";

const QUIET = 0.9;
const STATE_WORDS: Record<Row["state"], string> = {
  queued: "Queued",
  running: "Running",
  finished: "Finished",
  failed: "Failed",
  stopped: "Stopped",
};

/** One run; a row that is not loaded yet keeps its place. */
export function RunRow({
  row,
  shown,
  index,
  here,
  side,
  onPoint,
  onChoose,
  onShow,
}: {
  row: Row | undefined;
  shown: Column[];
  index: number;
  /** The keyboard's cell, where it is in this row. */
  here: Place | null;
  side: SideName | null;
  onPoint: (column: number) => void;
  onChoose: (row: Row) => void;
  onShow: (id: number) => void;
}) {
  const height = { height: `${ROW_HEIGHT}px` };
  if (!row) {
    return (
      <tr style={height} aria-busy="true" aria-rowindex={index + 2}>
        <td colSpan={shown.length + 2} />
      </tr>
    );
  }
  const soft = row.warm_up || row.purpose === "pilot" || !(row.in_plan || isBeside(row));
  const place = here ? "bg-wash shadow-[inset_3px_0_0_var(--color-ink)]" : "";
  return (
    <tr
      className={`border-line border-b ${place} ${soft ? "text-soft" : ""}`}
      style={height}
      data-run={row.id}
      data-state-of={row.state}
      data-current={here !== null || undefined}
      data-picked={side ?? undefined}
      aria-rowindex={index + 2}
      aria-selected={side !== null}
      onClick={(event) => onPoint((event.target as HTMLElement).closest("td")?.cellIndex ?? 0)}
    >
      <td className="pl-1" {...cellAt(index, 0, here)}>
        <button
          type="button"
          className="block h-[38px] w-[68px] overflow-hidden text-left text-xs"
          aria-label={`Pick ${named(row)} for a pair`}
          tabIndex={-1}
          onClick={() => onChoose(row)}
        >
          {row.picture ? (
            <img
              src={`/api/pictures/${row.picture}/thumbnail/`}
              alt=""
              className="h-full w-full object-cover"
              loading="lazy"
            />
          ) : row.let_go_at ? (
            "let go"
          ) : row.time_alone ? (
            "time alone"
          ) : null}
        </button>
      </td>
      {shown.map((column, number) => (
        <td
          key={column.name}
          {...cellAt(index, number + 1, here)}
          className={`overflow-hidden px-1.5 leading-tight ${column.number ? "whitespace-nowrap text-right" : ""}`}
        >
          <Cell row={row} column={column} side={side} />
        </td>
      ))}
      <td className="pr-2 text-right" {...cellAt(index, shown.length + 1, here)}>
        <Acts row={row} onShow={onShow} />
      </td>
    </tr>
  );
}

/** The heading of a group with median and range of every figure over its counted runs. */
export function GroupRow({
  group,
  shown,
  index,
  here,
}: {
  group: Schema["Group"];
  shown: Column[];
  index: number;
  here: Place | null;
}) {
  return (
    <tr
      className="border-edge border-b bg-wash"
      style={{ height: `${ROW_HEIGHT}px` }}
      data-group={group.key}
      aria-rowindex={index + 2}
    >
      <td className="pl-1 text-soft text-xs" {...cellAt(index, 0, here)}>
        {group.count} {group.count === 1 ? "run" : "runs"}
      </td>
      {shown.map((column, number) => {
        const figure = group.figures[column.name];
        return (
          <td
            key={column.name}
            {...cellAt(index, number + 1, here)}
            className={`overflow-hidden px-1.5 leading-tight ${column.number ? "text-right" : "font-semibold"}`}
          >
            {number === 0 ? group.key : null}
            {figure ? (
              <>
                {shownNumber(column, figure.value)}
                {figure.count > 1 && figure.low !== figure.high ? (
                  <span className="block whitespace-nowrap text-soft text-xs leading-none">
                    {shownNumber(column, figure.low)} to {shownNumber(column, figure.high)}
                  </span>
                ) : null}
              </>
            ) : null}
          </td>
        );
      })}
      <td {...cellAt(index, shown.length + 1, here)} />
    </tr>
  );
}

function Cell({ row, column, side }: { row: Row; column: Column; side: SideName | null }) {
  if (column.name === "title") return <Title row={row} side={side} />;
  if (column.name === "state") return <State row={row} />;
  if (column.name === "found") return <Found row={row} />;
  if (column.name === "side") return <>{row.warm_up ? "warm-up" : row.side}</>;
  if (column.name === "seed") return <Seed row={row} />;
  if (column.name === "run") return <>{row.id}</>;
  const value = row.values[column.name];
  if (row.state !== "finished" || value === "") return null;
  if (value == null) return <span className="text-soft">not known</span>;
  if (column.name === "ended_at") return <>{new Date(String(value)).toLocaleString("en-GB")}</>;
  if (typeof value !== "number" || column.name.startsWith("factor:")) return <>{String(value)}</>;
  const busy = column.name === "quietness" && value < QUIET;
  return (
    <>
      {shownNumber(column, value)}
      {busy ? <span className="block text-fault text-xs leading-none">busy</span> : null}
    </>
  );
}

function shownNumber(column: Column, value: number): string {
  if (column.unit === "bytes") return megabytes(value);
  return column.name === "reached" ? String(value) : three(value);
}

/** Whether it is a pilot or a reference: no part of the plan, and wanted all the same. */
function isBeside(row: Row): boolean {
  return row.purpose === "pilot" || row.purpose === "reference";
}

function Title({ row, side }: { row: Row; side: SideName | null }) {
  const marked = side ?? (row.warm_up || isBeside(row) ? null : row.side);
  const kind = row.warm_up ? "Warm-up" : row.purpose === "pilot" ? "Pilot" : row.small ? "Small" : "";
  const title = optionTitle(row.title);
  return (
    <span className="flex items-start gap-1.5">
      {marked ? (
        <span className="mt-0.5">
          <SideMark side={marked} size={10} />
        </span>
      ) : null}
      <span className={side ? "font-semibold" : ""}>
        {side ? `${side === "control" ? "As control: " : "As trial: "}` : ""}
        {kind ? `${kind}, ` : ""}
        {title || row.side}
        {row.in_plan || isBeside(row) ? "" : " (no longer in the plan)"}
      </span>
    </span>
  );
}

function Seed({ row }: { row: Row }) {
  if (row.warm_up) return <span className="whitespace-normal text-xs">not counted</span>;
  return <>{row.seed_known ? row.seed : "not known"}</>;
}

function State({ row }: { row: Row }) {
  const marked = row.state === "failed" || row.checks.length > 0;
  return (
    <span className={marked ? "text-fault" : ""}>
      {row.stop_asked ? "Stopping" : STATE_WORDS[row.state]}
      {row.made_by == null ? "" : ", on the way"}
      {row.state === "finished" && row.checks.length > 0 ? ", something found" : ""}
    </span>
  );
}

function Found({ row }: { row: Row }) {
  const said = [
    ...(row.reason && row.state !== "finished" ? [row.reason] : []),
    ...row.checks.map((each) => each.message),
  ];
  const words = [...new Set(said)];
  return (
    <span className="line-clamp-2 text-xs leading-tight" title={[...words, ...row.next_steps].join("\n")}>
      <span className="text-fault">{words.join(" ")}</span> {row.next_steps.join(" ")}
    </span>
  );
}

function Acts({ row, onShow }: { row: Row; onShow: (id: number) => void }) {
  const queries = useQueryClient();
  const [sure, setSure] = useState(false);
  const refresh = () => askAgain(queries, "runs", "measured");
  const params = { params: { path: { id: row.id } } };
  const stop = useMutation({
    mutationFn: () => api.POST("/api/runs/{id}/stop/", params),
    onSuccess: refresh,
  });
  const again = useMutation({
    mutationFn: () => api.POST("/api/runs/{id}/again/", params),
    onSuccess: refresh,
  });
  const open = row.state === "queued" || row.state === "running";
  const error = stop.error ?? again.error;
  return (
    <span className="text-xs" title={error?.message}>
      {error ? (
        <span role="alert" className="text-fault">
          {error.message}{" "}
        </span>
      ) : null}
      {open ? (
        <Act
          words="Stop"
          label={`Stop ${named(row)}`}
          act={() => stop.mutate()}
          disabled={row.stop_asked || stop.isPending}
        />
      ) : (
        <>
          <Act
            words={sure ? "Discard" : "Again"}
            label={sure ? `Discard ${named(row)} and render it again` : `Again: render ${named(row)}`}
            act={() => (row.state === "finished" && !sure ? setSure(true) : again.mutate())}
            disabled={again.isPending}
          />
          {sure ? (
            <>
              {" "}
              <Act words="Keep" label={`Keep ${named(row)}`} act={() => setSure(false)} />
            </>
          ) : null}
        </>
      )}{" "}
      <Act words="Log" label={`Log of ${named(row)}`} act={() => onShow(row.id)} />
    </span>
  );
}

function Act(props: { words: string; label: string; act: () => void; disabled?: boolean }) {
  return (
    <button
      type="button"
      className="quiet-link"
      tabIndex={-1}
      onClick={props.act}
      disabled={props.disabled}
      aria-label={props.label}
    >
      {props.words}
    </button>
  );
}

/** A run in words, for labels. */
/** How far a run under way is. */
export function progressWords(run: Schema["Run"], left: number | null): string {
  const how = run.stop_asked
    ? "stopping"
    : run.share_done == null
      ? "getting ready"
      : `${Math.round(run.share_done * 100)} %`;
  const so = run.elapsed_seconds == null ? "" : `, ${duration(run.elapsed_seconds)} so far`;
  return `${how}${so}${left == null || run.elapsed_seconds == null ? "" : `, ${duration(left)} left`}`;
}
