import type { Schema } from "../../api/client";
import { duration } from "../../parts/format";
import { Notice } from "../../parts/Notice";
import { progressWords } from "./RunRow";
import { named } from "./rows";
import { rendersOf } from "./soFar";

type Progress = Schema["Progress"];

/** The latest picture, the render under way, what comes next, what is left, and why nothing goes on when it does not. */
export function UnderWay({ progress, queue }: { progress: Progress; queue: Schema["Queue"] | undefined }) {
  if (progress.state !== "running" && progress.besides_open === 0) return null;
  const liveOf = (id: number) => queue?.runs.find((each) => each.id === id)?.live;
  const growing = progress.running.find((run) => liveOf(run.id));
  return (
    <section aria-label="Under way" className="mt-3">
      {queue?.held ? (
        <Notice kind="fault">
          <p>{queue.held}</p>
        </Notice>
      ) : queue?.paused ? (
        <Notice kind="plain">
          <p>The queue is paused; the render under way goes on to its end. Let it go on from the queue.</p>
        </Notice>
      ) : null}
      <div className="mt-2 flex items-start gap-4">
        <LatestPicture latest={progress.latest} growing={growing} live={growing ? liveOf(growing.id) : ""} />
        <div className="min-w-0">
          <p role="status" aria-live="polite" className="font-semibold">
            {leftWords(progress)}
          </p>
          {progress.running.map((run) => (
            <div key={run.id} className="mt-2" data-running={run.id}>
              <p>
                Now: {named(run)}
                {run.reached == null ? "" : `, picture at ${run.reached}`}
                {run.machine_name ? <span className="text-soft"> on {run.machine_name}</span> : null}
              </p>
              <progress
                className="bar block w-60"
                max={1}
                {...(run.share_done == null ? {} : { value: run.share_done })}
                aria-label="Progress of this render"
              />
              <p className="text-soft text-sm">{progressWords(run, progress.current_seconds_left)}</p>
            </div>
          ))}
          {progress.next ? <p className="mt-2 text-soft">Next: {named(progress.next)}</p> : null}
        </div>
      </div>
    </section>
  );
}

/** The picture that grows, else the newest that is done. */
function LatestPicture({
  latest,
  growing,
  live,
}: {
  latest: Progress["latest"];
  growing: Schema["Run"] | undefined;
  live: string | undefined;
}) {
  const shown = growing && live ? live : latest ? `/api/pictures/${latest.picture}/thumbnail/` : "";
  if (!shown)
    return (
      <div className="flex h-[6.75rem] w-48 items-center justify-center bg-wash text-soft text-sm">
        No picture yet
      </div>
    );
  return (
    <figure className="w-60 shrink-0">
      <img src={shown} alt={growing ? "The render so far" : "The latest render"} className="w-60" />
      <figcaption className="text-soft text-xs">
        {growing ? `${named(growing)}, growing` : latest ? `Latest: ${named(latest)}` : ""}
      </figcaption>
    </figure>
  );
}

function leftWords(progress: Progress): string {
  const { done, whole } = rendersOf(progress);
  const besides = [...progress.running, progress.next].some((run) => run?.purpose === "reference")
    ? "Reference"
    : "Pilot";
  const first =
    progress.state === "running" && whole > 0
      ? `${done} of ${whole} done`
      : `${besides}: ${progress.besides_open} to come`;
  if (progress.ahead > 0)
    return `${first}, waiting for ${progress.ahead} other ${progress.ahead === 1 ? "render" : "renders"}.`;
  if (progress.seconds_left == null) return `${first}; the time left is known after the first render.`;
  return `${first}, about ${duration(progress.seconds_left)} left.`;
}
