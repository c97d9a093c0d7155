import type { ReactNode } from "react";
import { Problem } from "../api/client";

/** What happened, why, and what to do next. */
export function Notice({ kind, children }: { kind: "fault" | "plain"; children: ReactNode }) {
  return (
    <div
      role={kind === "fault" ? "alert" : "status"}
      className={`border-l-4 py-1 pl-3 ${kind === "fault" ? "border-fault" : "border-soft"}`}
    >
      {children}
    </div>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="p-6 text-soft">
      Loading {what} …
    </p>
  );
}

export function Failed({ what, error, retry }: { what: string; error: Error; retry: () => void }) {
  const gone = error instanceof Problem && error.status === 404;
  return (
    <div className="p-6">
      <Notice kind="fault">
        <p>{gone ? `There is no such ${what}.` : `The ${what} could not be loaded: ${error.message}`}</p>
        {gone ? null : (
          <button type="button" className="act mt-2" onClick={retry}>
            Try again
          </button>
        )}
      </Notice>
    </div>
  );
}
