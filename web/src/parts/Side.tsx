export type SideName = "control" | "trial";

export const SIDE_TITLE: Record<SideName, string> = { control: "Control", trial: "Trial" };

/** The mark of a side: a square for the control, a diamond for the trial. */
export function SideMark({ side, size = 10 }: { side: SideName; size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 10 10" aria-hidden="true" className="inline-block shrink-0">
      {side === "control" ? (
        <rect x="1" y="1" width="8" height="8" fill="var(--color-control)" />
      ) : (
        <path d="M5 0 10 5 5 10 0 5z" fill="var(--color-trial)" />
      )}
    </svg>
  );
}

export function SideName({ side }: { side: SideName }) {
  return (
    <span
      className={`inline-flex items-center gap-1.5 font-semibold ${side === "control" ? "text-control" : "text-trial"}`}
    >
      <SideMark side={side} />
      {SIDE_TITLE[side]}
    </span>
  );
}
