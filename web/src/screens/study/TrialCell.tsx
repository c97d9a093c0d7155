import type { ReactNode } from "react";

/** The trial's side of a row: its value and the way back while it is under test, else the button that puts it there. */
export function TrialCell({
  title,
  tested,
  onTest,
  onKeep,
  children,
}: {
  title: string;
  tested: boolean;
  onTest: () => void;
  onKeep: () => void;
  children: ReactNode;
}) {
  if (!tested) {
    return (
      <button
        type="button"
        className="act"
        aria-label={`Change this for the trial: ${title}`}
        onClick={onTest}
      >
        Change this
      </button>
    );
  }
  return (
    <>
      {children}
      <button type="button" className="quiet-link block text-sm" onClick={onKeep}>
        keep it the same
      </button>
    </>
  );
}
