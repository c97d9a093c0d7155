import type { ReactNode } from "react";
import type { Schema } from "../../api/client";
import { MatchSheet } from "../../parts/MatchSheet";
import { Notice } from "../../parts/Notice";
import type { Draft } from "./kept";
import { PilotLine } from "./PilotLine";
import { PlanTable } from "./PlanTable";

/** Beside the form: the plan with its cost, what may surprise, and the match sheet. */
export function PlanAside({
  draft,
  preview,
  fresh,
  request,
  acts,
  onLeaveOut,
}: {
  draft: Draft;
  preview: Schema["Preview"] | undefined;
  /** Whether the preview is of the draft as it stands, and that as it is sent. */
  fresh: boolean;
  request: Draft;
  /** The buttons that begin it, and what became of them. */
  acts: ReactNode;
  onLeaveOut: (key: string, out: boolean) => void;
}) {
  return (
    <aside aria-label="Plan and match sheet" className="border-line border-l bg-wash/60">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a sheet longer than the window is scrolled by keyboard */}
      <div className="sticky top-0 max-h-[calc(100dvh-2.5rem)] overflow-auto px-5 py-6" tabIndex={0}>
        {preview?.plan && preview.match_sheet ? (
          <>
            <h2 className="mb-1 font-semibold">Plan</h2>
            <div className="mb-3">{acts}</div>
            <PlanTable plan={preview.plan} leftOut={draft.left_out ?? []} onLeaveOut={onLeaveOut}>
              {preview.pilot ? <PilotLine draft={request} pilot={preview.pilot} fresh={fresh} /> : null}
            </PlanTable>
            {preview.notes.map((note) => (
              <div key={note} className="mt-3">
                <Notice kind="plain">
                  <p className="first-letter:uppercase">{note}</p>
                </Notice>
              </div>
            ))}
            <h2 className="mt-5 mb-2 font-semibold">Match sheet</h2>
            <MatchSheet sheet={preview.match_sheet} />
          </>
        ) : (
          <>
            <h2 className="mb-2 font-semibold">Plan</h2>
            <p className="text-soft">
              {draft.factors.length > 0
                ? "Mend what is marked on the left, and the plan shows what is rendered and what is held."
                : "Change one thing for the trial, and the plan shows what it costs and that all the rest is held."}
            </p>
            <div className="mt-3">{acts}</div>
          </>
        )}
      </div>
    </aside>
  );
}
