import { type ReactNode, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { DifferenceLegend } from "./DifferenceLegend";
import { DividingLine } from "./DividingLine";
import { drawingOf, loupePlaces, loupeZoom, pointsUnder } from "./drawing";
import type { ViewerAct } from "./keys";
import { Labels } from "./Labels";
import { LayerLegend } from "./LayerLegend";
import { PictureCanvas, type Probe } from "./PictureCanvas";
import { type Pin, Pins } from "./Pins";
import { panesOf } from "./panes";
import { Spots } from "./Spots";
import { differenceRange, paneSize, type ViewerState } from "./state";
import { tileStore } from "./tiles";
import type { LayerState } from "./useLayer";
import { usePointing } from "./usePointing";
import type { Transform } from "./useTransform";
import type { Resolved } from "./viewed";
import { fit, type Place, type Point, type Size, snapped } from "./viewport";

const NO_PROBE: Probe = [];

/** Where the pointer is: in the frame's pixels. */
export type Pointed = Point | null;

/** The pictures themselves, and what is laid over them. */
export function Stage(props: {
  pictures: readonly Resolved[];
  frame: Size;
  place: Place;
  onPlace: (place: Place) => void;
  state: ViewerState;
  change: (to: (now: ViewerState) => ViewerState) => void;
  act: (act: ViewerAct) => void;
  transform: Exclude<Transform, { state: "loading" }>;
  layer: LayerState;
  pins: readonly Pin[];
  chosenPin: number | null;
  onChoosePin: (id: number | null) => void;
  onPointed: (at: Pointed) => void;
  onDisplayed: (values: ReadonlyMap<string, readonly number[]>) => void;
  children?: ReactNode;
}) {
  const { pictures, frame, place, onPlace, change, act, transform, layer, onPointed, onDisplayed } = props;
  const state = useFitted(props.state, frame, place, pictures.length);
  const stage = useRef<HTMLElement>(null);
  const [pointer, setPointer] = useState<{ frame: Point; window: Point } | null>(null);
  const failures = useFailures();
  const { mode } = state;
  const count = pictures.length;
  const panes = useMemo(() => panesOf(mode, count, frame, place), [mode, count, frame, place]);
  const asked = layer.state === "there" && !state.layerHidden ? layer.shown : null;
  const spots = asked?.layer.scale === "spots" ? asked : null;
  const map = spots ? null : asked;
  const loupe = useMemo(
    () => (state.loupe && pointer ? loupePlaces(place, pointer.window) : []),
    [state.loupe, pointer, place],
  );
  const at = pointer?.frame ?? null;
  const drawing = useMemo(
    () => drawingOf(state, pictures, panes, map, frame, loupe, at),
    [state, pictures, panes, map, frame, loupe, at],
  );
  const under = useMemo(() => (at ? pointsUnder(pictures, at, frame) : []), [pictures, at, frame]);
  const inside = at !== null && at.x >= 0 && at.y >= 0 && at.x < frame.width && at.y < frame.height;
  const tell = useCallback(
    (values: number[][]) =>
      onDisplayed(new Map(values.map((value, row) => [pictures[under[row]?.index ?? 0]?.key ?? "", value]))),
    [onDisplayed, pictures, under],
  );

  useLayoutEffect(() => {
    const element = stage.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      onPlace(snapped(element.getBoundingClientRect(), devicePixelRatio)),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, [onPlace]);

  // a picture that is shown whole stays so when the window, the panes or the picture's size change
  useEffect(() => {
    if (place.width === 0) return;
    const pane = paneSize(mode, { frame, window: place, pictures: count });
    change((now) => (now.fitted ? { ...now, view: fit(frame, pane) } : now));
  }, [mode, count, frame, place, change]);

  const pointing = usePointing(stage, place, panes, frame, state.view, change, (pointed) => {
    setPointer(pointed);
    onPointed(pointed?.frame ?? null);
  });
  const different = mode === "difference" && state.difference !== "beyond noise";
  return (
    <section
      ref={stage}
      aria-label="Pictures"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: the stage takes arrow keys for panning
      tabIndex={0}
      data-mode={mode}
      data-zoom={state.view.zoom}
      data-map={asked?.layer.name ?? ""}
      className="relative min-h-0 flex-1 touch-none overflow-hidden bg-[#1c1c1c]"
      {...pointing}
      onDoubleClick={() => act({ do: "fit" })}
    >
      <div className="absolute" style={place}>
        {place.width > 0 ? (
          <PictureCanvas
            drawing={drawing}
            transform={transform.state === "shader" ? transform.shader : null}
            size={place}
            probe={inside ? under : NO_PROBE}
            onDisplayed={tell}
          />
        ) : null}
        {mode === "divided" ? (
          <DividingLine
            line={state.line}
            pane={place}
            onChange={(line) => change((now) => ({ ...now, line }))}
          />
        ) : null}
        {spots && !different ? (
          <Spots shown={spots} frame={frame} state={state} panes={panes} window={place} />
        ) : null}
        {state.pins ? (
          <Pins
            pins={props.pins}
            chosen={props.chosenPin}
            onChoose={props.onChoosePin}
            frame={frame}
            view={state.view}
            panes={panes}
          />
        ) : null}
        {different ? (
          <DifferenceLegend
            kind={state.difference === "absolute" ? "absolute" : "signed"}
            range={differenceRange(state.exposure)}
          />
        ) : (
          <LayerLegend layer={layer} hidden={state.layerHidden} />
        )}
        {state.labels && mode !== "difference" ? (
          <Labels pictures={pictures} panes={panes} state={state} />
        ) : null}
        <LoupeFrames places={loupe} zoom={loupeZoom(state.view.zoom)} />
        <Troubles pictures={pictures} failures={failures} />
        {props.children}
      </div>
    </section>
  );
}

/** A hair around each square of the loupe, its middle pixel marked, and how far it enlarges. */
function LoupeFrames({ places, zoom }: { places: readonly Place[]; zoom: number }) {
  const [first] = places;
  if (!first) return null;
  return (
    <div data-part="loupe" className="pointer-events-none">
      {places.map((place) => (
        <svg
          key={place.left}
          className="absolute"
          style={{ left: place.left - 2, top: place.top - 2 }}
          width={place.width + 4}
          height={place.height + 4}
          aria-hidden="true"
        >
          <rect
            x="0.5"
            y="0.5"
            width={place.width + 3}
            height={place.height + 3}
            fill="none"
            stroke="black"
          />
          <rect
            x="1.5"
            y="1.5"
            width={place.width + 1}
            height={place.height + 1}
            fill="none"
            stroke="white"
          />
          <circle
            cx={place.width / 2 + 2}
            cy={place.height / 2 + 2}
            r={Math.max(5, 0.75 * zoom)}
            fill="none"
            stroke="white"
            strokeOpacity="0.8"
          />
        </svg>
      ))}
      <span className="absolute bg-field/98 px-1.5 text-xs" style={{ left: first.left, top: first.top - 22 }}>
        Control and trial at {Math.round(zoom)} ×
      </span>
    </div>
  );
}

/** What of the pictures cannot be shown, and why; the rest stays. */
function Troubles({ pictures, failures }: { pictures: readonly Resolved[]; failures: number }) {
  const rows = pictures.filter((each) => each.trouble);
  if (rows.length === 0 && failures === 0) return null;
  return (
    <div className="pointer-events-none absolute inset-x-8 top-12 flex flex-col items-start gap-2 text-sm">
      {rows.map((each) => (
        <p key={each.key} role="alert" className="bg-field px-3 py-1.5 text-fault">
          {each.title}: {each.trouble}
        </p>
      ))}
      {failures ? (
        <p role="alert" className="pointer-events-auto bg-field px-3 py-1.5 text-fault">
          {failures === 1 ? "One part" : `${failures} parts`} of the pictures could not be had; what is there
          is shown coarser.{" "}
          <button type="button" className="quiet-link" onClick={() => tileStore.retry()}>
            Try again
          </button>
        </p>
      ) : null}
    </div>
  );
}

/** A picture that is shown whole is fitted at once, not a frame later. */
function useFitted(state: ViewerState, frame: Size, window: Place, pictures: number): ViewerState {
  return useMemo(() => {
    if (!state.fitted || window.width === 0) return state;
    return { ...state, view: fit(frame, paneSize(state.mode, { frame, window, pictures })) };
  }, [state, frame, window, pictures]);
}

function useFailures(): number {
  const [failures, setFailures] = useState(tileStore.failures);
  useEffect(() => tileStore.listen(() => setFailures(tileStore.failures)), []);
  return failures;
}
