import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schema } from "../../api/client";
import { duration, megabytes, seconds, three } from "../../parts/format";
import { SideName } from "../../parts/Side";

type Run = Schema["Run"];

const STATE_WORDS: Record<Run["state"], string> = {
  queued: "Queued",
  running: "Running",
  finished: "Finished",
  failed: "Failed",
  stopped: "Stopped",
};
const QUIET = 0.9;

/** All renders of a study in plan order, live while they run. */
export function RunTable({
  study,
  runs,
  onShow,
}: {
  study: Schema["Study"];
  runs: Schema["StudyRuns"];
  onShow: (id: number) => void;
}) {
  if (runs.runs.length === 0) {
    return (
      <p className="text-soft">
        None yet. One warm-up and {study.repeats} seeds a side will be rendered in turn.
      </p>
    );
  }
  return (
    <table className="table-plain w-full text-sm">
      <thead>
        <tr>
          <th scope="col">
            <span className="sr-only">Picture</span>
          </th>
          <th scope="col">Side</th>
          <th scope="col">Seed</th>
          <th scope="col">State</th>
          <th scope="col" className="number !text-right">
            Getting ready
          </th>
          <th scope="col" className="!text-right">
            Rendering
          </th>
          <th scope="col" className="!text-right">
            CPU
          </th>
          <th scope="col" className="!text-right">
            Quietness
          </th>
          <th scope="col" className="!text-right">
            Peak memory
          </th>
          <th scope="col">
            <span className="sr-only">Actions</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {runs.runs.map((run) => (
          <RunRow key={run.id} run={run} study={study.id} left={runs.current_seconds_left} onShow={onShow} />
        ))}
      </tbody>
    </table>
  );
}

function RunRow({
  run,
  study,
  left,
  onShow,
}: {
  run: Run;
  study: number;
  left: number | null;
  onShow: (id: number) => void;
}) {
  const measured = run.state === "finished";
  return (
    <tr data-run={run.id} data-state-of={run.state} className={run.warm_up ? "text-soft" : ""}>
      <td className="w-[76px]">
        {run.picture ? (
          <img
            src={`/api/pictures/${run.picture}/thumbnail/`}
            alt=""
            className="h-auto w-16"
            loading="lazy"
          />
        ) : null}
      </td>
      <td>{run.warm_up ? "Warm-up" : <SideName side={run.side} />}</td>
      <td>{run.warm_up ? "not counted" : run.seed}</td>
      <td className="min-w-40">
        <RunState run={run} left={left} />
      </td>
      {measured ? (
        <>
          <td className="number">{seconds(run.ready_seconds)}</td>
          <td className="number">{seconds(run.render_seconds)}</td>
          <td className="number">{seconds(run.cpu_seconds)}</td>
          <td className="number">
            {run.quietness == null ? "not known" : three(run.quietness)}
            {run.quietness != null && run.quietness < QUIET ? (
              <span className="block text-fault">busy</span>
            ) : null}
          </td>
          <td className="number">{megabytes(run.peak_memory_bytes)}</td>
        </>
      ) : (
        <td colSpan={5} className="text-fault">
          {run.state === "failed" ? run.reason : ""}
        </td>
      )}
      <td className="whitespace-nowrap text-right">
        <RunActs run={run} study={study} onShow={onShow} />
      </td>
    </tr>
  );
}

function RunState({ run, left }: { run: Run; left: number | null }) {
  if (run.state !== "running") {
    return (
      <>
        <span className={run.state === "failed" ? "text-fault" : ""}>{STATE_WORDS[run.state]}</span>
        {run.state === "finished"
          ? run.checks.map((check) => (
              <span key={check.code} className="block text-fault">
                {check.message}
              </span>
            ))
          : null}
      </>
    );
  }
  const share = run.share_done;
  return (
    <>
      <span>
        {run.stop_asked
          ? "Stopping"
          : share == null
            ? "Getting ready"
            : `Rendering, ${Math.round(share * 100)} %`}
      </span>
      <progress
        className="bar block w-36"
        max={1}
        {...(share == null ? {} : { value: share })}
        aria-label="Progress of this render"
      />
      <span className="text-soft">
        {run.elapsed_seconds == null ? "" : `${duration(run.elapsed_seconds)} so far`}
        {left == null || run.elapsed_seconds == null ? "" : `, ${duration(left)} left`}
      </span>
    </>
  );
}

function RunActs({ run, study, onShow }: { run: Run; study: number; onShow: (id: number) => void }) {
  const queries = useQueryClient();
  const [sure, setSure] = useState(false);
  const refresh = () => queries.invalidateQueries({ queryKey: ["runs", study] });
  const params = { params: { path: { id: run.id } } };
  const stop = useMutation({
    mutationFn: () => api.POST("/api/runs/{id}/stop/", params),
    onSuccess: refresh,
  });
  const again = useMutation({
    mutationFn: () => api.POST("/api/runs/{id}/again/", params),
    onSuccess: refresh,
  });
  const which = run.warm_up ? "the warm-up" : `${run.side} seed ${run.seed}`;
  const open = run.state === "queued" || run.state === "running";
  const error = stop.error ?? again.error;
  const discard = () => {
    setSure(false);
    again.mutate();
  };
  if (sure) {
    return (
      <span className="inline-flex gap-3">
        Discard this result?
        <Act words="Discard" label={`Discard ${which} and render it again`} act={discard} />
        <Act words="Keep" label={`Keep ${which}`} act={() => setSure(false)} />
      </span>
    );
  }
  return (
    <>
      <span className="inline-flex gap-3">
        {open ? (
          <Act words="Stop" label={`Stop ${which}`} act={() => stop.mutate()} disabled={run.stop_asked} />
        ) : (
          <Act
            words="Again"
            label={`Again: render ${which}`}
            act={() => (run.state === "finished" ? setSure(true) : again.mutate())}
          />
        )}
        <Act words="Log" label={`Log of ${which}`} act={() => onShow(run.id)} />
      </span>
      {error ? (
        <span role="alert" className="block whitespace-normal text-fault">
          {error.message}
        </span>
      ) : null}
    </>
  );
}

function Act(props: { words: string; label: string; act: () => void; disabled?: boolean }) {
  return (
    <button
      type="button"
      className="quiet-link"
      onClick={props.act}
      disabled={props.disabled}
      aria-label={props.label}
    >
      {props.words}
    </button>
  );
}
