import type { ViewerAct } from "./keys";
import { type Line, turned, UPRIGHT } from "./line";
import { CHANNELS, DIFFERENCES, type DifferenceKind, type Mode } from "./modes";
import { panesOf } from "./panes";
import { fit, held, panBy, type Size, type Viewport, zoomAt } from "./viewport";

/** What the viewer shows; the choices among it that are remembered are `Choices`. */
export type ViewerState = Choices & {
  readonly view: Viewport;
  readonly line: Line;
  readonly fitted: boolean;
  /** The map that is drawn in the pictures' place, by name; empty for none. */
  readonly layer: string;
  readonly layerHidden: boolean;
  /** Shadows lifted by so many stops. */
  readonly lift: number;
  /** Place in `CHANNELS`. */
  readonly channel: number;
  /** The pass shown instead of the picture, and the one multiplied over it; empty for none. */
  readonly pass: string;
  readonly over: string;
  /** The zone that was gone to last; empty for none. */
  readonly zone: string;
  /** Which of the places where they differ most was gone to last; `NO_PLACE` for none. */
  readonly place: number;
  readonly full: boolean;
};

export type Choices = {
  readonly mode: Mode;
  readonly difference: DifferenceKind;
  readonly exposure: number;
  readonly surround: number;
  readonly labels: boolean;
  readonly soft: boolean;
  readonly loupe: boolean;
  readonly scopes: boolean;
  readonly pins: boolean;
};

/** What an act needs to know of what is shown. */
export type Shown = {
  readonly frame: Size;
  readonly window: Size;
  readonly pictures: number;
  readonly layers: readonly string[];
  readonly passes: readonly string[];
  readonly zones: readonly { readonly zone: string; readonly box: readonly number[] }[];
  /** Where the two differ most, the most telling first: x, y, width, height in the picture. */
  readonly places: readonly (readonly number[])[];
};

export const NO_PLACE = -1;

export const FIRST_CHOICES: Choices = {
  mode: "divided",
  difference: "signed",
  exposure: 0,
  surround: 0,
  labels: true,
  soft: false,
  loupe: false,
  scopes: false,
  pins: true,
};
export const SURROUNDS = [
  { title: "Dark", value: 0.11 },
  { title: "Middle", value: 0.46 },
  { title: "Light", value: 0.8 },
] as const;
export const LEAST_EXPOSURE = -8;
export const MOST_EXPOSURE = 12;
export const MOST_LIFT = 5;

export function choicesOf(state: ViewerState): Choices {
  const { mode, difference, exposure, surround, labels, soft, loupe, scopes, pins } = state;
  return { mode, difference, exposure, surround, labels, soft, loupe, scopes, pins };
}

/** The size of the pane in which one picture is shown. */
export function paneSize(mode: Mode, shown: Pick<Shown, "frame" | "window" | "pictures">): Size {
  const [pane] = panesOf(mode, shown.pictures, shown.frame, shown.window);
  return pane ?? shown.window;
}

/** Half the scale of the difference, in linear luminance: follows the exposure, so that lifting shadows lifts it too. */
export function differenceRange(exposure: number): number {
  return 0.25 * 2 ** -exposure;
}

/** The state after an act; the same state when the act is not about it. */
export function acted(state: ViewerState, act: ViewerAct, shown: Shown): ViewerState {
  const pane = paneSize(state.mode, shown);
  const middle = { x: pane.width / 2, y: pane.height / 2 };
  const moved = (view: Viewport): ViewerState => ({
    ...state,
    view: held(view, shown.frame),
    fitted: false,
  });
  switch (act.do) {
    case "mode":
      return inMode(state, act.mode, shown);
    case "exchange":
      return inMode(state, state.mode === "control" ? "trial" : "control", shown);
    case "difference kind":
      return inMode({ ...state, difference: following(DIFFERENCES, state.difference) }, "difference", shown);
    case "exposure": {
      const exposure = state.exposure + act.by;
      return { ...state, exposure: Math.min(Math.max(exposure, LEAST_EXPOSURE), MOST_EXPOSURE) };
    }
    case "exposure reset":
      return { ...state, exposure: 0 };
    case "lift":
      return { ...state, lift: (state.lift + 1) % (MOST_LIFT + 1) };
    case "channel":
      return { ...state, channel: (state.channel + 1) % CHANNELS.length };
    case "pass":
      return { ...state, pass: following(["", ...shown.passes], state.pass) };
    case "soft":
      return { ...state, soft: !state.soft };
    case "fit":
      return { ...state, view: fit(shown.frame, pane), fitted: true, zone: "", place: NO_PLACE };
    case "zoom":
      return moved(zoomAt(state.view, act.to / state.view.zoom, middle, pane));
    case "zoom by":
      return moved(zoomAt(state.view, act.factor, middle, pane));
    case "pan":
      return moved(panBy(state.view, act.dx, act.dy));
    case "zone": {
      const names = shown.zones.map((each) => each.zone);
      const next = following(["", ...names], state.zone, act.by);
      const box = shown.zones.find((each) => each.zone === next)?.box;
      if (!box) return { ...state, view: fit(shown.frame, pane), fitted: true, zone: "" };
      return { ...atBox(state, box, shown), zone: next };
    }
    case "place": {
      const count = shown.places.length;
      const next = ((state.place + act.by + count + 2) % (count + 1)) - 1;
      const box = shown.places[next];
      if (!box) return { ...state, view: fit(shown.frame, pane), fitted: true, zone: "", place: NO_PLACE };
      return { ...atBox(state, box, shown), zone: "", place: next };
    }
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
    case "next map":
      return { ...state, layer: following(["", ...shown.layers], state.layer, act.by), layerHidden: false };
    case "loupe":
      return { ...state, loupe: !state.loupe };
    case "scopes":
      return { ...state, scopes: !state.scopes };
    case "pins":
      return { ...state, pins: !state.pins };
    case "full":
      return { ...state, full: !state.full };
    case "pin":
    case "verdict":
    case "keys":
      return state;
  }
}

/** The state in which a box of the picture fills the pane, with some of what is around it. */
export function atBox(
  state: ViewerState,
  box: readonly number[],
  shown: Pick<Shown, "frame" | "window" | "pictures">,
): ViewerState {
  const [x = 0, y = 0, width = 1, height = 1] = box;
  const around = fit({ width: 1.3 * width, height: 1.3 * height }, paneSize(state.mode, shown));
  return { ...state, view: { x: x + width / 2, y: y + height / 2, zoom: around.zoom }, fitted: false };
}

function following<T>(all: readonly T[], now: T, by = 1): T {
  return all[(all.indexOf(now) + by + all.length) % all.length] ?? now;
}

function inMode(state: ViewerState, mode: Mode, shown: Shown): ViewerState {
  const next = { ...state, mode };
  return state.fitted ? { ...next, view: fit(shown.frame, paneSize(mode, shown)) } : next;
}
