/** A level straight across the chart; with `onMove` it is dragged, or moved by the arrow keys. */
export type ChartLine = {
  key: string;
  axis: "x" | "y";
  /** Where it lies; null for one that is not set and waits at the far end. */
  value: number | null;
  /** What it is called, and what is written at it. */
  label: string;
  words: string;
  tone: "limit" | "target";
  onMove?: (value: number) => void;
  onDone?: (value: number) => void;
  /** Written while it is moved: what it would mean there. */
  told?: (value: number) => string;
};
/** Two points that belong together, such as a pair matched on noise. */
export type ChartLink = { key: string; from: string; to: string; words: string; href: string };
