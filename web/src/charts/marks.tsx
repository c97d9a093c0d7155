/** How the lines of a chart are told apart: by hue, by the shape of their points, and by their dashes. */
export type Mark = { hue: string; shape: Shape; dash: string };
type Shape = "square" | "diamond" | "triangle" | "circle" | "cross" | "bar";

export const CONTROL_MARK: Mark = { hue: "var(--color-control)", shape: "square", dash: "" };

const TRIALS: Mark[] = [
  { hue: "var(--color-trial)", shape: "diamond", dash: "" },
  { hue: "var(--color-third)", shape: "triangle", dash: "7 3" },
  { hue: "var(--color-fourth)", shape: "circle", dash: "2 3" },
  { hue: "var(--color-fifth)", shape: "cross", dash: "9 3 2 3" },
  { hue: "var(--color-soft)", shape: "bar", dash: "4 2" },
];

export function trialMark(number: number): Mark {
  return TRIALS[number % TRIALS.length] ?? CONTROL_MARK;
}

/** A point's shape about its own middle. */
export function MarkShape({
  mark,
  size = 5,
  hollow = false,
}: {
  mark: Mark;
  size?: number;
  hollow?: boolean;
}) {
  const paint = hollow
    ? { fill: "var(--color-paper)", stroke: mark.hue, strokeWidth: 1.6 }
    : { fill: mark.hue, stroke: mark.hue, strokeWidth: 1 };
  const s = size;
  switch (mark.shape) {
    case "square":
      return <rect x={-s * 0.85} y={-s * 0.85} width={s * 1.7} height={s * 1.7} {...paint} />;
    case "diamond":
      return <path d={`M0 ${-s * 1.2} ${s * 1.2} 0 0 ${s * 1.2} ${-s * 1.2} 0z`} {...paint} />;
    case "triangle":
      return <path d={`M0 ${-s * 1.1} ${s} ${s * 0.8} ${-s} ${s * 0.8}z`} {...paint} />;
    case "circle":
      return <circle r={s * 0.95} {...paint} />;
    case "cross":
      return <path d={`M${-s} ${-s} ${s} ${s}M${s} ${-s} ${-s} ${s}`} stroke={mark.hue} strokeWidth={2.4} />;
    default:
      return <rect x={-s * 0.4} y={-s * 1.1} width={s * 0.8} height={s * 2.2} {...paint} />;
  }
}

/** The same beside words. */
export function MarkKey({ mark }: { mark: Mark }) {
  return (
    <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true" className="inline-block shrink-0">
      <MarkShape mark={mark} />
    </svg>
  );
}
