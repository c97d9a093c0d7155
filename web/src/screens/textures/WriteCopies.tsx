import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, body, type Schema } from "../../api/client";
import { Notice } from "../../parts/Notice";

type Plan = Schema["TexturePlan"];

/** Writes the copies some at a time with progress; it can be stopped, and what is written stays until discarded. */
export function WriteCopies({ plan, onPlan }: { plan: Plan; onPlan: (plan: Plan) => void }) {
  const stopped = useRef(false);
  useEffect(
    () => () => {
      stopped.current = true;
    },
    [],
  );
  const write = useMutation({
    mutationFn: async () => {
      stopped.current = false;
      let made: Plan;
      do {
        made = await body(api.POST("/api/textures/copies/", { body: { place: plan.place } }));
        onPlan(made);
      } while (made.written > 0 && !stopped.current);
      return made;
    },
  });
  const discard = useMutation({
    mutationFn: () =>
      body(api.DELETE("/api/textures/copies/unfinished/", { params: { query: { place: plan.place } } })),
    onSuccess: onPlan,
  });
  const error = write.error ?? discard.error;
  const made = plan.copies.find((row) => row.by_plan && !row.out_of_date);
  return (
    <div className="mt-2">
      <div className="flex flex-wrap items-center gap-3">
        {write.isPending ? (
          <button
            type="button"
            className="act"
            onClick={() => {
              stopped.current = true;
            }}
          >
            Stop
          </button>
        ) : (
          <button
            type="button"
            className="act"
            disabled={plan.to_write === 0 || plan.unread > 0 || made !== undefined}
            onClick={() => write.mutate()}
          >
            {made ? `Written as ${made.name}` : wordOf(plan)}
          </button>
        )}
        {plan.written > 0 || write.isPending ? (
          <>
            <progress
              className="bar w-48"
              max={plan.to_write}
              value={plan.written}
              aria-label="Copies written"
            />
            <span role="status">
              {plan.written} of {plan.to_write} written
            </span>
          </>
        ) : null}
        {plan.written > 0 && !write.isPending ? (
          <button type="button" className="act" onClick={() => discard.mutate()}>
            Discard these
          </button>
        ) : null}
      </div>
      {error ? (
        <Notice kind="fault">
          <p>{error.message}</p>
        </Notice>
      ) : null}
    </div>
  );
}

function wordOf(plan: Plan): string {
  if (plan.written > 0) return "Go on writing";
  return `Write ${plan.to_write} reduced ${plan.to_write === 1 ? "copy" : "copies"}`;
}
