import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Schema } from "../../api/client";
import { queueQuery } from "../../api/queries";
import { duration, optionTitle } from "../../parts/format";
import { Failed, Loading, Notice } from "../../parts/Notice";
import { useRemembered } from "../../parts/remembered";
import { SideMark } from "../../parts/Side";
import { useTitle } from "../../parts/useTitle";
import { Backup } from "./Backup";
import { SetAside } from "./SetAside";

type Run = Schema["QueuedRun"];

/** All renders to come, of all studies, in order, and the hands on them. */
export function QueuePage() {
  const { data, error, refetch } = useQuery(queueQuery);
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["queue"] });
  const pausing = useMutation({
    mutationFn: (on: boolean) => api.POST("/api/queue/pause/", { body: { on } }),
    onSuccess: refresh,
  });
  const stopping = useMutation({ mutationFn: () => api.POST("/api/queue/stop/"), onSuccess: refresh });
  useTitle("Queue");
  if (error && !data) return <Failed what="queue" error={error} retry={() => void refetch()} />;
  if (!data) return <Loading what="queue" />;
  const running = data.runs.filter((run) => run.state === "running");
  const waiting = data.runs.filter((run) => run.state === "queued");
  const stands = data.paused || data.held !== "";
  return (
    <div className="mx-auto max-w-[76rem] px-6 py-6">
      <div className="flex items-baseline justify-between gap-6">
        <h1 className="text-xl font-semibold">{sentence(data)}</h1>
        <span className="flex items-center gap-4">
          <TellMe />
          {data.runs.length > 0 ? (
            <button
              type="button"
              className="act"
              onClick={() => stopping.mutate()}
              disabled={stopping.isPending}
            >
              Stop all
            </button>
          ) : null}
          <button
            type="button"
            className="act"
            onClick={() => pausing.mutate(!stands)}
            disabled={pausing.isPending}
          >
            {stands ? "Go on" : "Pause"}
          </button>
        </span>
      </div>
      <SetAside />
      {data.held ? (
        <div className="mt-3">
          <Notice kind="fault">
            <p>{data.held}</p>
          </Notice>
        </div>
      ) : null}
      {data.paused && running.length > 0 ? (
        <p className="mt-2 text-soft">
          The render under way goes on to its end, so that its time can be believed.
        </p>
      ) : null}
      {running.map((run) => (
        <UnderWay key={run.id} run={run} left={data.current_seconds_left} onChange={refresh} />
      ))}
      {waiting.length > 0 ? <Waiting runs={waiting} onChange={refresh} /> : null}
      {data.waiting > waiting.length ? (
        <p className="mt-2 text-soft">and {data.waiting - waiting.length} more after these</p>
      ) : null}
      {data.runs.length === 0 ? (
        <p className="mt-4 max-w-prose">
          Renders of all studies wait here and are made one at a time on each machine, so that each has it to
          itself.
        </p>
      ) : null}
      <Backup />
    </div>
  );
}

function sentence(queue: Schema["Queue"]): string {
  const left = queue.seconds_left == null ? "" : `, about ${duration(queue.seconds_left)} in all`;
  const running = queue.runs.filter((run) => run.state === "running").length;
  const waits = `${queue.waiting} ${queue.waiting === 1 ? "render waits" : "renders wait"}`;
  if (queue.held) return `The queue stands still; ${waits}.`;
  if (queue.paused) return `The queue is paused; ${waits}.`;
  if (running === 0 && queue.waiting === 0) return "Nothing waits to be rendered.";
  return running > 0 ? `${running} under way, ${waits}${left}.` : `${waits}${left}.`;
}

function UnderWay({ run, left, onChange }: { run: Run; left: number | null; onChange: () => void }) {
  const stop = useMutation({
    mutationFn: () => api.POST("/api/runs/{id}/stop/", { params: { path: { id: run.id } } }),
    onSuccess: onChange,
  });
  const share = run.share_done;
  const how = run.stop_asked ? "Stopping" : share == null ? "Getting ready" : `${Math.round(share * 100)} %`;
  return (
    <section
      aria-label="Under way"
      className="mt-4 flex gap-4 border-line border-b pb-4"
      data-running={run.id}
    >
      {run.live ? (
        <img src={run.live} alt="The render so far" className="w-72" />
      ) : (
        <div className="flex h-[9rem] w-64 items-center justify-center bg-wash text-soft text-sm">
          No picture yet
        </div>
      )}
      <div className="min-w-0">
        <p className="font-semibold text-lg leading-snug">
          <RunName run={run} />
        </p>
        <p className="text-soft">
          <StudyOf run={run} />
        </p>
        <progress
          className="bar mt-2 block w-72"
          max={1}
          {...(share == null ? {} : { value: share })}
          aria-label="Progress of this render"
        />
        <p role="status" className="mt-1">
          {how}
          {run.elapsed_seconds == null ? "" : `, ${duration(run.elapsed_seconds)} so far`}
          {left == null || run.elapsed_seconds == null ? "" : `, ${duration(left)} left`}
          {run.reached == null ? "" : `; the picture is at ${run.reached}`}
        </p>
        <p className="text-soft text-sm">
          {run.engine} on {run.machine_name || "this machine"}
        </p>
        <button
          type="button"
          className="act mt-2"
          onClick={() => stop.mutate()}
          disabled={run.stop_asked || stop.isPending}
        >
          Stop this one
        </button>
      </div>
    </section>
  );
}

function Waiting({ runs, onChange }: { runs: Run[]; onChange: () => void }) {
  const moving = useMutation({
    mutationFn: ({ id, to }: { id: number; to: "up" | "front" }) =>
      api.POST("/api/runs/{id}/move/", { params: { path: { id } }, body: { to } }),
    onSuccess: onChange,
  });
  const stopping = useMutation({
    mutationFn: (id: number) => api.POST("/api/runs/{id}/stop/", { params: { path: { id } } }),
    onSuccess: onChange,
  });
  const error = moving.error ?? stopping.error;
  return (
    <>
      {error ? (
        <p role="alert" className="mt-2 text-fault">
          {error.message}
        </p>
      ) : null}
      <table className="table-plain mt-4 w-full text-sm" aria-label="Waiting renders">
        <thead>
          <tr>
            <th scope="col" className="w-12 !text-right">
              Place
            </th>
            <th scope="col">Render</th>
            <th scope="col">Study</th>
            <th scope="col">
              <span className="sr-only">Actions</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {runs.map((run, index) => (
            <tr key={run.id} data-run={run.id}>
              <td className="number">{index + 1}</td>
              <td>
                <RunName run={run} />
              </td>
              <td>
                <StudyOf run={run} />
              </td>
              <td className="space-x-3 whitespace-nowrap text-right">
                <button
                  type="button"
                  className="quiet-link"
                  disabled={index === 0 || moving.isPending}
                  aria-label={`Move render ${run.id} up`}
                  onClick={() => moving.mutate({ id: run.id, to: "up" })}
                >
                  Up
                </button>
                <button
                  type="button"
                  className="quiet-link"
                  disabled={index === 0 || moving.isPending}
                  aria-label={`Render ${run.id} next`}
                  onClick={() => moving.mutate({ id: run.id, to: "front" })}
                >
                  Next
                </button>
                <button
                  type="button"
                  className="quiet-link"
                  aria-label={`Stop render ${run.id}`}
                  onClick={() => stopping.mutate(run.id)}
                >
                  Stop
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Its study; the tiny renders of a plan that is not saved yet have none. */
function StudyOf({ run }: { run: Run }) {
  if (!run.listed) return <>{run.question}</>;
  return (
    <Link to={`/studies/${run.study}`} className="quiet-link">
      {run.question}
    </Link>
  );
}

function RunName({ run }: { run: Run }) {
  if (run.warm_up) return <>Warm-up of {run.engine}, not counted</>;
  const title = optionTitle(run.title);
  if (run.purpose === "pilot") return <>Pilot, {title}</>;
  if (run.purpose === "reference")
    return (
      <>
        The {title}, seed {run.seed}
      </>
    );
  return (
    <span className="inline-flex items-center gap-1.5">
      <SideMark side={run.side} size={9} />
      {title}, seed {run.seed}
    </span>
  );
}

/** Whether the system may tell when a study is done; remembered, and asked for once. */
function TellMe() {
  const [wanted, setWanted] = useRemembered("tell when done", false);
  if (!("Notification" in window)) return null;
  const denied = Notification.permission === "denied";
  return (
    <label className="flex items-center gap-1.5 text-sm">
      <input
        type="checkbox"
        checked={wanted && !denied}
        disabled={denied}
        onChange={(event) => {
          setWanted(event.target.checked);
          if (event.target.checked) void Notification.requestPermission();
        }}
      />
      {denied ? "This browser forbids telling you when a study is done" : "Tell me when a study is done"}
    </label>
  );
}
