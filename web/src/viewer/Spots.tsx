import { type ReactNode, useMemo } from "react";
import type { ShownLayer, Spot } from "./layers";
import { toTrial } from "./line";
import type { PanePlace } from "./panes";
import type { ViewerState } from "./state";
import { aligned, type Size, toScreen, type Viewport } from "./viewport";

const LEAST_RADIUS = 6;

/** Rings around the single pixels that a map marks, on the side that each pane shows. */
export function Spots(props: {
  shown: ShownLayer;
  frame: Size;
  state: ViewerState;
  panes: readonly PanePlace[];
  window: Size;
}) {
  const { shown, frame, state, panes, window } = props;
  const control = useMemo(() => inFrame(shown.spots[0], shown.control, frame), [shown, frame]);
  const trial = useMemo(() => inFrame(shown.spots[1], shown.trial, frame), [shown, frame]);
  return (
    <Drawing window={window}>
      {panes.map((pane) =>
        pane.picture === null ? (
          (["control", "trial"] as const).map((side) => (
            <Rings
              key={side}
              spots={(side === "control" ? control : trial).filter(
                (spot) => sideAt(spot, state, window) === side,
              )}
              view={state.view}
              pane={pane}
            />
          ))
        ) : (
          <Rings
            key={pane.picture}
            spots={pane.picture === 0 ? control : pane.picture === 1 ? trial : []}
            view={state.view}
            pane={pane}
          />
        ),
      )}
    </Drawing>
  );
}

function Drawing({ window, children }: { window: Size; children: ReactNode }) {
  return (
    <svg
      className="pointer-events-none absolute inset-0"
      width={window.width}
      height={window.height}
      aria-hidden="true"
      data-part="spots"
    >
      {children}
    </svg>
  );
}

function Rings(props: { spots: readonly Spot[]; view: Viewport; pane: PanePlace }) {
  const { spots, view, pane } = props;
  const radius = Math.max(LEAST_RADIUS, 0.9 * view.zoom);
  const drawn = aligned(view, pane, devicePixelRatio);
  return spots.map((spot) => {
    const { x, y } = toScreen(drawn, spot, pane);
    if (x < -radius || y < -radius || x > pane.width + radius || y > pane.height + radius) return null;
    return (
      <g key={`${spot.x} ${spot.y}`} fill="none">
        <circle cx={pane.left + x} cy={pane.top + y} r={radius} stroke="black" strokeWidth={3} />
        <circle cx={pane.left + x} cy={pane.top + y} r={radius} stroke="white" strokeWidth={1.25} />
      </g>
    );
  });
}

/** Spots in the frame's pixels; a picture of another size is shown at the frame's. */
function inFrame(spots: readonly Spot[], own: Size | null, frame: Size): readonly Spot[] {
  if (!own || (own.width === frame.width && own.height === frame.height)) return spots;
  const [across, down] = [frame.width / own.width, frame.height / own.height];
  return spots.map((spot) => ({
    ...spot,
    x: (spot.x + 0.5) * across - 0.5,
    y: (spot.y + 0.5) * down - 0.5,
  }));
}

function sideAt(spot: Spot, state: ViewerState, window: Size): "control" | "trial" {
  const { x, y } = toScreen(state.view, spot, window);
  const normal = toTrial(state.line);
  const across = (x - state.line.x * window.width) * normal.x + (y - state.line.y * window.height) * normal.y;
  return across >= 0 ? "trial" : "control";
}
