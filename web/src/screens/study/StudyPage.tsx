import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, type Schema } from "../../api/client";
import { pairQuery, runsQuery, studyQuery } from "../../api/queries";
import { duration } from "../../parts/format";
import { MatchSheet } from "../../parts/MatchSheet";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useTitle } from "../../parts/useTitle";
import { VerdictList } from "../pair/Verdicts";
import { RunDialog } from "./RunDialog";
import { RunTable } from "./RunTable";

/** A study: its finding so far, its renders live, its pair and its verdicts. */
export function StudyPage() {
  const id = Number(useParams().id);
  const study = useQuery(studyQuery(id));
  const runs = useQuery(runsQuery(id));
  const pair = useQuery({ ...pairQuery(study.data?.pair ?? 0), enabled: Boolean(study.data?.pair) });
  const [shown, setShown] = useState<number | null>(null);
  useTitle(study.data?.question ?? "Study");
  useFreshPair(runs.data, study.data?.pair);
  const error = study.data ? null : (study.error ?? runs.error ?? pair.error);
  if (error) return <Failed what="study" error={error} retry={() => void study.refetch()} />;
  if (!study.data || !runs.data || !pair.data) return <Loading what="study" />;
  const finished = runs.data.runs.filter((run) => run.state === "finished" && !run.warm_up);
  const sides = new Set(finished.map((run) => run.side));
  return (
    <div className="grid min-h-full grid-cols-[minmax(0,1fr)_25rem]">
      <div className="px-6 py-6">
        <p className="text-soft">{study.data.question}</p>
        <h1 className="mt-0.5 max-w-[52rem] text-xl font-semibold leading-snug">{pair.data.sentence}</h1>
        <p className="mt-1.5 text-soft text-sm">{setupWords(study.data)}</p>
        <div className="mt-4 flex items-center gap-3">
          {sides.size === 2 ? (
            <Link to={`/pairs/${study.data.pair}`} className="act flex items-center" data-kind="main">
              Look at the pair
            </Link>
          ) : null}
          <Controls study={study.data} runs={runs.data} />
        </div>
        <h2 className="mt-6 mb-1 font-semibold">Renders</h2>
        <RunTable study={study.data} runs={runs.data} onShow={setShown} />
        <h2 className="mt-8 mb-1 font-semibold">Verdicts</h2>
        <VerdictList verdicts={pair.data.verdicts} pair={pair.data.id} />
      </div>
      <aside aria-label="Match sheet" className="border-line border-l bg-wash/60 px-5 py-6">
        <h2 className="mb-2 font-semibold">Match sheet</h2>
        <MatchSheet sheet={pair.data.match_sheet} />
      </aside>
      {shown === null ? null : <RunDialog id={shown} onClose={() => setShown(null)} />}
    </div>
  );
}

function setupWords(study: Schema["Study"]): string {
  const variant = study.variant === "as-is" ? "" : `, variant ${study.variant}`;
  const made = study.from_elsewhere ? "made elsewhere with" : "rendered with";
  return `${study.scene}, view ${study.view}${variant}, ${study.size}, ${made} ${study.engine}, ${study.repeats} seeds a side.`;
}

/** The pair's figures change when a render ends, so they are asked for then. */
function useFreshPair(runs: Schema["StudyRuns"] | undefined, pair: number | undefined) {
  const queries = useQueryClient();
  const ended = runs?.runs.map((run) => run.ended_at).join() ?? "";
  const [last, setLast] = useState(ended);
  if (ended !== last) {
    setLast(ended);
    void queries.invalidateQueries({ queryKey: ["pair", pair] });
  }
}

function Controls({ study, runs }: { study: Schema["Study"]; runs: Schema["StudyRuns"] }) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["runs", study.id] });
  const params = { params: { path: { id: study.id } } };
  const start = useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/start/", params),
    onSuccess: refresh,
  });
  const stop = useMutation({
    mutationFn: () => api.POST("/api/studies/{id}/stop/", params),
    onSuccess: refresh,
  });
  const error = start.error ?? stop.error;
  const done = runs.runs.filter((run) => run.state === "finished").length;
  return (
    <>
      {runs.state === "running" ? (
        <>
          <button type="button" className="act" onClick={() => stop.mutate()} disabled={stop.isPending}>
            Stop all
          </button>
          <p role="status" aria-live="polite">
            {done} of {runs.runs.length} done, {leftWords(runs)}
          </p>
        </>
      ) : null}
      {!study.from_elsewhere && (runs.state === "planned" || runs.state === "partly") ? (
        <button
          type="button"
          className="act"
          data-kind={runs.state === "planned" ? "main" : undefined}
          onClick={() => start.mutate()}
          disabled={start.isPending}
        >
          {runs.state === "planned" ? `Run ${2 * study.repeats + 1} renders` : "Run the rest"}
        </button>
      ) : null}
      {error ? (
        <Notice kind="fault">
          <p>{error.message}</p>
        </Notice>
      ) : null}
    </>
  );
}

function leftWords(runs: Schema["StudyRuns"]): string {
  if (runs.ahead > 0) return `waiting for ${runs.ahead} other ${runs.ahead === 1 ? "render" : "renders"}`;
  if (runs.seconds_left == null) return "time left is known after the first render";
  return `about ${duration(runs.seconds_left)} left`;
}
