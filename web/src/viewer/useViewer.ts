import { useCallback, useEffect, useRef, useState } from "react";
import { useRemembered } from "../parts/remembered";
import type { ViewerAct } from "./keys";
import { UPRIGHT } from "./line";
import {
  acted,
  type Choices,
  choicesOf,
  FIRST_CHOICES,
  NO_PLACE,
  type Shown,
  type ViewerState,
} from "./state";

const NOTHING: Shown = {
  frame: { width: 1, height: 1 },
  window: { width: 1, height: 1 },
  pictures: 2,
  layers: [],
  passes: [],
  zones: [],
  places: [],
};

/**
 * What a viewer shows and how it changes; how it is looked at is remembered under `name`. What acts rest on, which itself
 * depends on the state, is told by `know` at each drawing.
 */
export function useViewer(name: string, usual: Partial<ViewerState> = {}) {
  const [choices, remember] = useRemembered<Choices>(name, FIRST_CHOICES);
  const [state, setState] = useState<ViewerState>(() => ({
    ...FIRST_CHOICES,
    ...choices,
    view: { x: 0, y: 0, zoom: 1 },
    line: UPRIGHT,
    fitted: true,
    layer: "",
    layerHidden: false,
    lift: 0,
    channel: 0,
    pass: "",
    over: "",
    zone: "",
    place: NO_PLACE,
    full: false,
    ...usual,
  }));
  const latest = useRef(NOTHING);
  useEffect(() => remember(choicesOf(state)), [state, remember]);
  const act = useCallback((what: ViewerAct) => setState((now) => acted(now, what, latest.current)), []);
  const know = (shown: Shown) => {
    latest.current = shown;
  };
  return { state, setState, act, know };
}
