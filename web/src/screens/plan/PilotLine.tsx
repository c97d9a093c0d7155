import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, body, type Schema } from "../../api/client";
import { askAgain } from "../../api/events";
import { useRemembered } from "../../parts/remembered";
import type { Draft } from "./kept";
import { pilotWords } from "./pilotWords";

/** Long enough that a plan still being put together is not rendered at every change of it. */
const BEGIN_AFTER = 1500;

/**
 * Where nothing tells what a plan will cost, tiny renders find out; they begin by themselves unless somebody once said
 * that they should not.
 */
export function PilotLine({
  draft,
  pilot,
  fresh,
}: {
  draft: Draft;
  pilot: Schema["Pilot"];
  /** Whether what is known of the pilot is of this draft; until it is, nothing begins. */
  fresh: boolean;
}) {
  const queries = useQueryClient();
  const [unasked, setUnasked] = useRemembered("pilots by themselves", true);
  const { mutate, error, isPending } = useMutation({
    mutationFn: (wanted: string) =>
      body(api.POST("/api/studies/preview/pilot/", { body: JSON.parse(wanted) as Draft })),
    onSettled: () => askAgain(queries, "runs"),
  });
  const wanted = JSON.stringify(draft);
  const begins = unasked && pilot.by_itself && pilot.open === 0 && pilot.failed === 0;
  useEffect(() => {
    if (!begins || !fresh) return;
    const waiting = setTimeout(() => mutate(wanted), BEGIN_AFTER);
    return () => clearTimeout(waiting);
  }, [begins, fresh, wanted, mutate]);
  const going = pilot.open > 0 || isPending;
  return (
    <div className="mt-1 text-sm" data-pilot={going ? "going" : pilot.failed > 0 ? "failed" : "none"}>
      <p role="status">
        {error ? `The time could not be found out: ${error.message}` : pilotWords(pilot, begins)}
      </p>
      {going ? <progress className="bar mt-1 block w-full" aria-label="Tiny renders under way" /> : null}
      <div className="mt-1 flex items-center gap-4">
        {!going && (!begins || error) ? (
          <button type="button" className="act" disabled={!fresh} onClick={() => mutate(wanted)}>
            {pilot.failed > 0 || error ? "Try again" : "Find out"}
          </button>
        ) : null}
        {pilot.by_itself ? (
          <label className="flex items-center gap-1.5">
            <input type="checkbox" checked={unasked} onChange={(event) => setUnasked(event.target.checked)} />
            Always find out by tiny renders
          </label>
        ) : null}
      </div>
    </div>
  );
}
