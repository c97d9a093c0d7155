import type { Mode } from "./modes";
import type { Point, Size } from "./viewport";

/** Where a pane lies in the window, and which picture it shows alone; null where it combines control and trial. */
export type PanePlace = Size & {
  readonly left: number;
  readonly top: number;
  readonly picture: number | null;
};

const GAP = 2;

/** The panes of a mode, for so many pictures; the first two are control and trial. */
export function panesOf(mode: Mode, count: number, frame: Size, window: Size): PanePlace[] {
  const whole = (picture: number | null): PanePlace => ({ left: 0, top: 0, ...window, picture });
  if (mode === "control") return [whole(0)];
  if (mode === "trial") return [whole(1)];
  if (mode === "side by side") return inGrid(2, 2, window);
  if (mode === "together") return inGrid(count, bestColumns(count, frame, window), window);
  return [whole(null)];
}

/** The pane under a point, else the first. */
export function paneAt(panes: readonly PanePlace[], at: Point): PanePlace {
  const under = panes.find(
    (pane) =>
      at.x >= pane.left && at.y >= pane.top && at.x < pane.left + pane.width && at.y < pane.top + pane.height,
  );
  return under ?? panes[0] ?? { left: 0, top: 0, width: 1, height: 1, picture: null };
}

/** The columns that show so many pictures largest. */
export function bestColumns(count: number, frame: Size, window: Size): number {
  let [best, largest] = [1, 0];
  for (let columns = 1; columns <= count; columns++) {
    const cell = { width: window.width / columns, height: window.height / Math.ceil(count / columns) };
    const zoom = Math.min(cell.width / frame.width, cell.height / frame.height);
    if (zoom > largest * (1 + 1e-9)) [best, largest] = [columns, zoom];
  }
  return best;
}

/** Even panes on whole pixels, with a gap of the surround between them. */
function inGrid(count: number, columns: number, window: Size): PanePlace[] {
  const rows = Math.ceil(count / columns);
  const width = Math.floor((window.width - (columns - 1) * GAP) / columns);
  const height = Math.floor((window.height - (rows - 1) * GAP) / rows);
  return Array.from({ length: count }, (_, picture) => ({
    left: (picture % columns) * (width + GAP),
    top: Math.floor(picture / columns) * (height + GAP),
    width,
    height,
    picture,
  }));
}
