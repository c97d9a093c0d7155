import { useCallback, useEffect, useRef, useState } from "react";
import { useRemembered } from "../parts/remembered";
import type { ViewerAct } from "./keys";
import { UPRIGHT } from "./line";
import { acted, type Choices, choicesOf, FIRST_CHOICES, type Shown, type ViewerState } from "./state";

/** What a viewer shows and how it changes; how it is looked at is remembered under `name`. */
export function useViewer(name: string, shown: Shown, usual: Partial<ViewerState> = {}) {
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
    full: false,
    ...usual,
  }));
  const latest = useRef(shown);
  latest.current = shown;
  useEffect(() => remember(choicesOf(state)), [state, remember]);
  const act = useCallback((what: ViewerAct) => setState((now) => acted(now, what, latest.current)), []);
  return { state, setState, act };
}
