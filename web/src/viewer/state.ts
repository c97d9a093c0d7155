import type { ViewerAct } from "./keys";
import { type Line, turned, UPRIGHT } from "./line";
import type { Mode } from "./renderer";
import { fit, held, panBy, type Size, type Viewport, zoomAt } from "./viewport";

/** What the viewer shows; the choices among it that are remembered are `Choices`. */
export type ViewerState = Choices & {
  readonly view: Viewport;
  readonly line: Line;
  readonly fitted: boolean;
  /** The map that is drawn in the pictures' place, by name; empty for none. */
  readonly layer: string;
  readonly layerHidden: boolean;
};

export type Choices = {
  readonly mode: Mode;
  readonly exposure: number;
  readonly surround: number;
  readonly labels: boolean;
};

export const FIRST_CHOICES: Choices = { mode: "divided", exposure: 0, surround: 0, labels: true };
export const SURROUNDS = [
  { title: "Dark", value: 0.11 },
  { title: "Middle", value: 0.46 },
  { title: "Light", value: 0.8 },
] as const;
export const LEAST_EXPOSURE = -8;
export const MOST_EXPOSURE = 12;

export const MODE_TITLES: Record<Mode, string> = {
  divided: "Divided",
  "side by side": "Side by side",
  control: "Control",
  trial: "Trial",
  difference: "Difference",
};

/** The pane in which one picture is shown: half of the window when they stand next to each other. */
export function paneOf(state: ViewerState, window: Size): Size {
  return state.mode === "side by side"
    ? { width: Math.floor(window.width / 2), height: window.height }
    : window;
}

/** Half the scale of the difference, in linear luminance: follows the exposure, so that lifting shadows lifts it too. */
export function differenceRange(exposure: number): number {
  return 0.25 * 2 ** -exposure;
}

/** The state after an act; the same state when the act is not about it. */
export function acted(
  state: ViewerState,
  act: ViewerAct,
  picture: Size,
  window: Size,
  layers: readonly string[] = [],
): ViewerState {
  const pane = paneOf(state, window);
  const middle = { x: pane.width / 2, y: pane.height / 2 };
  const moved = (view: Viewport): ViewerState => ({ ...state, view: held(view, picture), fitted: false });
  switch (act.do) {
    case "mode":
      return inMode(state, act.mode, picture, window);
    case "exchange":
      return inMode(state, state.mode === "control" ? "trial" : "control", picture, window);
    case "exposure":
      return {
        ...state,
        exposure: Math.min(Math.max(state.exposure + act.by, LEAST_EXPOSURE), MOST_EXPOSURE),
      };
    case "exposure reset":
      return { ...state, exposure: 0 };
    case "fit":
      return { ...state, view: fit(picture, pane), fitted: true };
    case "zoom":
      return moved(zoomAt(state.view, act.to / state.view.zoom, middle, pane));
    case "zoom by":
      return moved(zoomAt(state.view, act.factor, middle, pane));
    case "pan":
      return moved(panBy(state.view, act.dx, act.dy));
    case "line":
      return { ...state, line: { ...state.line, x: Math.min(Math.max(state.line.x + act.by, 0), 1) } };
    case "turn line":
      return { ...state, line: turned(state.line, act.by) };
    case "line reset":
      return { ...state, line: UPRIGHT };
    case "surround":
      return { ...state, surround: (state.surround + 1) % SURROUNDS.length };
    case "labels":
      return { ...state, labels: !state.labels };
    case "map":
      return { ...state, layerHidden: !state.layerHidden };
    case "next map": {
      const names = ["", ...layers];
      const at = (names.indexOf(state.layer) + act.by + names.length) % names.length;
      return { ...state, layer: names[at] ?? "", layerHidden: false };
    }
    case "keys":
      return state;
  }
}

/** The state in which a box of the picture fills the pane, with some of what is around it. */
export function atBox(state: ViewerState, box: readonly number[], window: Size): ViewerState {
  const [x = 0, y = 0, width = 1, height = 1] = box;
  const around = fit({ width: 1.3 * width, height: 1.3 * height }, paneOf(state, window));
  return { ...state, view: { x: x + width / 2, y: y + height / 2, zoom: around.zoom }, fitted: false };
}

function inMode(state: ViewerState, mode: Mode, picture: Size, window: Size): ViewerState {
  const next = { ...state, mode };
  return state.fitted ? { ...next, view: fit(picture, paneOf(next, window)) } : next;
}
