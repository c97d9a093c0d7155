import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Schema } from "../../api/client";
import { duration, settingName, settingValue, three } from "../../parts/format";
import { Notice } from "../../parts/Notice";
import { FrameResults, FrameStrip } from "./Frames";
import { SaveFound } from "./SaveFound";
import { Ways } from "./Ways";

type Search = Schema["Search"];

const STATES: Record<Search["state"], string> = {
  searching: "Searching",
  confirming: "Confirming",
  done: "Done",
  out_of_budget: "The budget is used up",
  failed: "Failed",
  stopped: "Stopped",
};

/** One search: what was tried, what it changed, why it stopped, and what was found. */
export function SearchTrace({ row }: { row: Search }) {
  const queries = useQueryClient();
  const params = { params: { path: { id: row.id } } };
  const refresh = () => void queries.invalidateQueries({ queryKey: ["searches"] });
  const [renders, setRenders] = useState("");
  const [minutes, setMinutes] = useState("");
  const stop = useMutation({
    mutationFn: () => api.POST("/api/searches/{id}/stop/", params),
    onSuccess: refresh,
  });
  const goOn = useMutation({
    mutationFn: () =>
      api.POST("/api/searches/{id}/go-on/", {
        ...params,
        body: {
          most_renders: renders.trim() ? Number(renders) : null,
          most_minutes: minutes.trim() ? Number(minutes) : null,
        },
      }),
    onSuccess: refresh,
  });
  const open = row.state === "searching" || row.state === "confirming";
  const error = stop.error ?? goOn.error;
  return (
    <section
      className="mt-4 border-line border-t pt-3"
      aria-label={`Search ${row.id}`}
      data-search={row.state}
    >
      <p className="flex flex-wrap items-center gap-3">
        <span role="status" className={row.state === "failed" ? "text-fault" : "font-semibold"}>
          {row.state === "done" ? row.sentence : `${STATES[row.state]}${row.words ? `: ${row.words}` : ""}`}
        </span>
        <span className="text-soft text-sm">
          {row.renders} ways rendered{row.most_renders == null ? "" : ` of ${row.most_renders}`}
          {row.most_seconds == null
            ? ""
            : `, ${duration(row.spent_seconds)} of ${duration(row.most_seconds)}`}
          , at {row.scale} of the width{row.zone ? `, ${row.zone} alone` : ""}; unchanged is up to{" "}
          {row.most_stops} stops, ΔE00 {row.most_colour}, {row.most_percent} % in a cell, {row.most_detail} %
          of detail
        </span>
        {row.pair ? (
          <Link to={`/pairs/${row.pair}`} className="quiet-link">
            Look at the result beside the present settings
          </Link>
        ) : null}
        {open ? (
          <button type="button" className="act" onClick={() => stop.mutate()}>
            Stop the search
          </button>
        ) : null}
        {!open && row.state !== "done" ? (
          <>
            {row.state === "out_of_budget"
              ? (
                  [
                    ["renders", renders, setRenders],
                    ["minutes", minutes, setMinutes],
                  ] as const
                ).map(([what, value, set]) => (
                  <input
                    key={what}
                    className="field w-28 text-right"
                    inputMode="decimal"
                    aria-label={`Larger budget, ${what}`}
                    placeholder={`${what}, no limit`}
                    value={value}
                    onChange={(event) => set(event.target.value)}
                  />
                ))
              : null}
            <button type="button" className="act" onClick={() => goOn.mutate()}>
              Go on
            </button>
          </>
        ) : null}
      </p>
      {error ? (
        <Notice kind="fault">
          <p>{error.message}</p>
        </Notice>
      ) : null}
      <p className="mt-1">{foundWords(row)}</p>
      {row.state === "done" && row.frames.length > 1 ? <p className="mt-1">{row.words}.</p> : null}
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)] gap-2">
        {row.joined ? <FrameStrip joined={row.joined} /> : null}
        {row.frames.length > 1 ? <FrameResults row={row} /> : null}
        {row.trace.length > 0 ? <Trace row={row} /> : null}
        {row.ways.length > 0 ? <Ways row={row} /> : null}
        {row.state === "done" ? <SaveFound row={row} /> : null}
      </div>
    </section>
  );
}

function Trace({ row }: { row: Search }) {
  const several = new Set(row.trace.map((each) => each.frame)).size > 1;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a table longer than its box is scrolled by keyboard
    <div className="max-h-[19.3rem] overflow-auto" tabIndex={0}>
      <table className="table-plain w-full text-sm" aria-label="What was tried">
        <thead>
          <tr>
            {several ? (
              <th scope="col" className="!text-right">
                Frame
              </th>
            ) : null}
            <th scope="col">Pass</th>
            <th scope="col">Setting</th>
            <th scope="col" className="!text-right">
              Level
            </th>
            <th scope="col" className="!text-right">
              Of the threshold
            </th>
            <th scope="col">Changes against the highest</th>
            <th scope="col">So</th>
          </tr>
        </thead>
        <tbody>
          {row.trace.map((each) => (
            <tr
              key={`${each.frame} ${each.passed} ${each.setting} ${each.level} ${each.outcome}`}
              data-outcome={each.outcome}
            >
              {several ? <td className="number">{each.frame}</td> : null}
              <td>{each.passed}</td>
              <th scope="row" className="text-left font-normal">
                {settingName(each.setting)}
              </th>
              <td className="number">{settingValue(each.level)}</td>
              <td className="number">{each.amount == null ? "" : three(each.amount)}</td>
              <td>
                {each.pair ? (
                  <Link to={`/pairs/${each.pair}`} className="quiet-link">
                    {each.change || "nothing that can be told"}
                  </Link>
                ) : (
                  each.change
                )}
              </td>
              <td>{each.words}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** What is other than before, in words. */
function foundWords(row: Search): string {
  if (row.frames.length > 1) return "";
  const changed = Object.entries(row.found).filter(([name, value]) => row.before[name] !== value);
  if (changed.length === 0) return "So far all settings stand as they are.";
  const said = changed.map(
    ([name, value]) =>
      `${settingName(name)} ${settingValue(value)} instead of ${settingValue(row.before[name])}`,
  );
  const unused =
    row.unused.length > 0 ? ` Changes nothing here: ${row.unused.map(settingName).join(", ")}.` : "";
  return `${said.join("; ")}.${unused}`;
}
