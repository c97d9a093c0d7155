import { useQueryErrorResetBoundary } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { ErrorBoundary, type FallbackProps } from "react-error-boundary";
import { Link, useLocation } from "react-router";

/** Keeps what breaks in one screen from taking the others along; another address begins anew. */
export function Guarded({ children }: { children: ReactNode }) {
  const { reset } = useQueryErrorResetBoundary();
  const { pathname } = useLocation();
  return (
    <ErrorBoundary FallbackComponent={Broken} onReset={reset} resetKeys={[pathname]}>
      {children}
    </ErrorBoundary>
  );
}

/** What is said instead of a screen that broke: what it was, and the ways on. */
function Broken({ error, resetErrorBoundary }: FallbackProps) {
  const words = error instanceof Error ? `${error.name}: ${error.message}` : String(error);
  const old = /dynamically imported module|module script failed|Failed to fetch/i.test(words);
  const report = `${words}\n${window.location.pathname}\n${error instanceof Error ? (error.stack ?? "") : ""}`;
  return (
    <div role="alert" className="mx-auto max-w-[44rem] p-6">
      <h1 className="font-semibold text-xl">
        {old ? "This page is older than the server" : "This screen broke"}
      </h1>
      <p className="mt-2">
        {old
          ? "A newer version is there. Load the page again to get it; nothing is lost."
          : "Everything that was saved is still there. Try it once more, or go on elsewhere."}
      </p>
      <p className="mt-4 flex flex-wrap items-center gap-4">
        <button
          type="button"
          className="act"
          onClick={old ? () => window.location.reload() : resetErrorBoundary}
        >
          {old ? "Load again" : "Try again"}
        </button>
        <button type="button" className="act" onClick={() => void navigator.clipboard.writeText(report)}>
          Copy the report
        </button>
        <button type="button" className="act" onClick={forgetDrafts}>
          Forget what this browser remembers
        </button>
        <Link className="quiet-link" to="/">
          All studies
        </Link>
      </p>
      <pre className="mt-4 overflow-auto rounded border border-line p-3 text-sm">{words}</pre>
    </div>
  );
}

/** A remembered choice of an older version may be what breaks it. */
function forgetDrafts() {
  for (const key of Object.keys(localStorage))
    if (key.startsWith("matchedpair.")) localStorage.removeItem(key);
  window.location.reload();
}
