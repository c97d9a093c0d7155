import type { Schema } from "../../api/client";
import { duration } from "../../parts/format";
import { Notice } from "../../parts/Notice";
import { progressWords } from "./RunRow";
import { named } from "./rows";

/** The render under way with its picture growing, what is left, and why nothing goes on when it does not. */
export function UnderWay({
  progress,
  queue,
}: {
  progress: Schema["Progress"];
  queue: Schema["Queue"] | undefined;
}) {
  if (progress.state !== "running" && progress.pilots_open === 0) return null;
  return (
    <section aria-label="Under way" className="mt-4">
      {queue?.held ? (
        <Notice kind="fault">
          <p>{queue.held}</p>
        </Notice>
      ) : queue?.paused ? (
        <Notice kind="plain">
          <p>The queue is paused; the render under way goes on to its end. Let it go on from the queue.</p>
        </Notice>
      ) : null}
      <p role="status" aria-live="polite">
        {leftWords(progress)}
      </p>
      {progress.running.map((run) => {
        const live = queue?.runs.find((each) => each.id === run.id)?.live;
        return (
          <div key={run.id} className="mt-2 flex items-center gap-3" data-running={run.id}>
            {live ? <img src={live} alt="The render so far" className="w-40" /> : null}
            <div>
              <p className="font-semibold">
                {named(run)}
                {run.reached == null ? "" : `, picture at ${run.reached}`}
                {run.machine_name ? (
                  <span className="font-normal text-soft"> on {run.machine_name}</span>
                ) : null}
              </p>
              <progress
                className="bar block w-60"
                max={1}
                {...(run.share_done == null ? {} : { value: run.share_done })}
                aria-label="Progress of this render"
              />
              <p className="text-soft text-sm">{progressWords(run, progress.current_seconds_left)}</p>
            </div>
          </div>
        );
      })}
    </section>
  );
}

function leftWords(progress: Schema["Progress"]): string {
  const done = progress.counts.finished ?? 0;
  const whole = Object.values(progress.counts).reduce((sum, count) => sum + count, 0);
  const first = whole > 0 ? `${done} of ${whole} done` : `Pilot: ${progress.pilots_open} to come`;
  if (progress.ahead > 0)
    return `${first}, waiting for ${progress.ahead} other ${progress.ahead === 1 ? "render" : "renders"}.`;
  if (progress.seconds_left == null) return `${first}; the time left is known after the first render.`;
  return `${first}, about ${duration(progress.seconds_left)} left.`;
}
