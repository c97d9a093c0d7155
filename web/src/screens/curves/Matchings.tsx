import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, body, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { three } from "../../parts/format";
import { Notice } from "../../parts/Notice";

type Matching = Schema["Matching"];

const STATES: Record<Matching["state"], string> = {
  searching: "Searching",
  sure: "Found within 3 %",
  closest: "The nearest found",
  not_reachable: "Not reachable",
  failed: "Failed",
  stopped: "Stopped",
};

/** The searches for a matched pair, newest first, with their steps while they go on. */
export function Matchings({ rows }: { rows: Matching[] }) {
  const queries = useQueryClient();
  const params = (id: number) => ({ params: { path: { id } } });
  const refresh = () => void askAgain(queries, "runs", "measured");
  const stop = useMutation({
    mutationFn: (id: number) => body(api.POST("/api/matchings/{id}/stop/", params(id))),
    onSuccess: refresh,
  });
  const goOn = useMutation({
    mutationFn: (id: number) => body(api.POST("/api/matchings/{id}/go-on/", params(id))),
    onSuccess: refresh,
  });
  const error = stop.error ?? goOn.error;
  return (
    <ul className="flex flex-col gap-3" aria-label="Searches for a matched pair">
      {rows.map((row) => (
        <li key={row.id} className="border-line border-b pb-2" data-matching={row.state}>
          <p className="flex flex-wrap items-baseline gap-x-3">
            <span className="font-semibold">
              {capital(row.trial_title)}: the same {row.on}
              {row.zone === "whole" ? "" : ` in ${row.zone}`}
            </span>
            <span role="status" className={row.state === "failed" ? "text-fault" : ""}>
              {row.state === "not_reachable" && row.words
                ? capital(row.words)
                : `${STATES[row.state]}${row.words ? `: ${row.words}` : ""}`}
            </span>
            {row.pair ? (
              <Link to={`/pairs/${row.pair}`} className="quiet-link">
                Look at the matched pair
              </Link>
            ) : null}
            {row.state === "searching" ? (
              <button type="button" className="act" onClick={() => stop.mutate(row.id)}>
                Stop the search
              </button>
            ) : null}
            {row.state === "stopped" || row.state === "failed" ? (
              <button type="button" className="act" onClick={() => goOn.mutate(row.id)}>
                Go on
              </button>
            ) : null}
          </p>
          <ol className="mt-1 flex flex-wrap gap-x-4 gap-y-0.5 text-sm" aria-label="Steps">
            <li className="text-soft">
              wanted {row.target == null ? "not known" : `${three(row.target)} ${unit(row)}`}
            </li>
            {row.steps.map((step) => (
              <li key={`${step.quality} ${step.option}`}>
                {row.knob} {three(step.quality)}:{" "}
                {step.figure == null ? "being rendered" : `${three(step.figure)} ${unit(row)}`}
                <span className="text-soft"> {step.state}</span>
              </li>
            ))}
          </ol>
        </li>
      ))}
      {error ? (
        <Notice kind="fault">
          <p>{error.message}</p>
        </Notice>
      ) : null}
    </ul>
  );
}

function unit(row: Matching): string {
  return row.on === "noise" ? "%" : "s";
}

function capital(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}
