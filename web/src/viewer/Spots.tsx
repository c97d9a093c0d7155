import { type ReactNode, useMemo } from "react";
import { type ShownLayer, type Spot, spotsOf } from "./layers";
import { toTrial } from "./line";
import type { ViewerState } from "./state";
import type { Size, Viewport } from "./viewport";

const LEAST_RADIUS = 6;

/** Rings around the single pixels that a map marks, on the side that each pane shows. */
export function Spots(props: { shown: ShownLayer; picture: Size; state: ViewerState; pane: Size }) {
  const { shown, picture, state, pane } = props;
  const control = useMemo(() => spotsOf(shown.control), [shown.control]);
  const trial = useMemo(() => spotsOf(shown.trial, picture), [shown.trial, picture]);
  const half = Math.floor(pane.width / 2);
  if (state.mode === "side by side")
    return (
      <Drawing pane={pane}>
        <Rings spots={control} view={state.view} pane={{ width: half, height: pane.height }} left={0} />
        <Rings
          spots={trial}
          view={state.view}
          pane={{ width: half, height: pane.height }}
          left={pane.width - half}
        />
      </Drawing>
    );
  if (state.mode === "divided")
    return (
      <Drawing pane={pane}>
        {(["control", "trial"] as const).map((side) => (
          <Rings
            key={side}
            spots={(side === "control" ? control : trial).filter(
              (spot) => sideAt(spot, state, pane) === side,
            )}
            view={state.view}
            pane={pane}
            left={0}
          />
        ))}
      </Drawing>
    );
  return (
    <Drawing pane={pane}>
      <Rings spots={state.mode === "trial" ? trial : control} view={state.view} pane={pane} left={0} />
    </Drawing>
  );
}

function Drawing({ pane, children }: { pane: Size; children: ReactNode }) {
  return (
    <svg
      className="pointer-events-none absolute inset-0"
      width={pane.width}
      height={pane.height}
      aria-hidden="true"
      data-part="spots"
    >
      {children}
    </svg>
  );
}

function Rings(props: { spots: readonly Spot[]; view: Viewport; pane: Size; left: number }) {
  const { spots, view, pane, left } = props;
  const radius = Math.max(LEAST_RADIUS, 0.9 * view.zoom);
  return spots.map((spot) => {
    const { x, y } = onScreen(spot, view, pane);
    if (x < -radius || y < -radius || x > pane.width + radius || y > pane.height + radius) return null;
    return (
      <g key={`${spot.x} ${spot.y}`} fill="none">
        <circle cx={left + x} cy={y} r={radius} stroke="black" strokeWidth={3} />
        <circle cx={left + x} cy={y} r={radius} stroke="white" strokeWidth={1.25} />
      </g>
    );
  });
}

function onScreen(spot: Spot, view: Viewport, pane: Size): { x: number; y: number } {
  return {
    x: pane.width / 2 + (spot.x + 0.5 - view.x) * view.zoom,
    y: pane.height / 2 + (spot.y + 0.5 - view.y) * view.zoom,
  };
}

function sideAt(spot: Spot, state: ViewerState, pane: Size): "control" | "trial" {
  const { x, y } = onScreen(spot, state.view, pane);
  const normal = toTrial(state.line);
  const across = (x - state.line.x * pane.width) * normal.x + (y - state.line.y * pane.height) * normal.y;
  return across >= 0 ? "trial" : "control";
}
