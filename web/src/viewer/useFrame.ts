import { useMemo, useState } from "react";
import { frameOf, type Resolved } from "./viewed";
import type { Size } from "./viewport";

const UNKNOWN: Size = { width: 1, height: 1 };

/**
 * The size that all pictures are shown at, the same object while it is the same size; and the last one known, for when the
 * next pictures are still on their way.
 */
export function useFrame(pictures: readonly Resolved[]): { frame: Size | null; last: Size } {
  const found = frameOf(pictures);
  const [width, height] = [found?.width ?? 0, found?.height ?? 0];
  const frame = useMemo(() => (width ? { width, height } : null), [width, height]);
  const [last, setLast] = useState(UNKNOWN);
  if (frame && frame !== last) setLast(frame);
  return { frame, last: frame ?? last };
}
