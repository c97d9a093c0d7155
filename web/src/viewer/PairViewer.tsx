import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from "react";
import type { Schema } from "../api/client";
import { useRemembered } from "../parts/remembered";
import { SideName } from "../parts/Side";
import { DifferenceLegend } from "./DifferenceLegend";
import { DividingLine } from "./DividingLine";
import { KeySheet } from "./KeySheet";
import { actFor, type ViewerAct } from "./keys";
import { LayerLegend } from "./LayerLegend";
import { cornersOf, UPRIGHT } from "./line";
import { PictureCanvas } from "./PictureCanvas";
import type { Pixels } from "./pixels";
import { Readout } from "./Readout";
import { Spots } from "./Spots";
import {
  acted,
  atBox,
  type Choices,
  differenceRange,
  FIRST_CHOICES,
  paneOf,
  type ViewerState,
} from "./state";
import { Toolbar } from "./Toolbar";
import { type LayerSource, useLayer } from "./useLayer";
import type { Transform } from "./useTransformTable";
import { fit, held, type Place, type Point, panBy, snapped, toPicture, zoomAt } from "./viewport";

/** What to open with, or to go to: a map by name, and a box of the picture to fill the window with. */
export type Opening = { readonly layer: string; readonly box: readonly number[] | null };

/** Two pictures on top of each other or next to each other, at the same place, magnification and exposure. */
export function PairViewer({
  control,
  trial,
  transform,
  layers,
  source,
  opening,
  panel,
}: {
  control: Pixels;
  trial: Pixels;
  transform: Exclude<Transform, { state: "loading" }>;
  layers: readonly Schema["LayerKind"][];
  source: LayerSource;
  opening: Opening;
  panel: ReactNode;
}) {
  const [choices, remember] = useRemembered<Choices>("viewer", FIRST_CHOICES);
  const [state, setState] = useState<ViewerState>(() => ({
    ...FIRST_CHOICES,
    ...choices,
    view: { x: control.width / 2, y: control.height / 2, zoom: 1 },
    line: UPRIGHT,
    fitted: true,
    layer: layers.some((layer) => layer.name === opening.layer) ? opening.layer : "",
    layerHidden: false,
  }));
  const [place, setPlace] = useState<Place>({ left: 0, top: 0, width: 0, height: 0 });
  const [pointer, setPointer] = useState<Point | null>(null);
  const [keysOpen, setKeysOpen] = useState(false);
  const [measured, setMeasured] = useState(false);
  const stage = useRef<HTMLElement>(null);
  const pane = paneOf(state, place);
  const layer = useLayer(layers.find((each) => each.name === state.layer) ?? null, source);
  const shownLayer = layer.state === "there" && !state.layerHidden ? layer.shown : null;
  const spots = shownLayer?.layer.scale === "spots" ? shownLayer : null;
  const map = spots ? null : shownLayer;

  useEffect(() => {
    const { mode, exposure, surround, labels } = state;
    remember({ mode, exposure, surround, labels });
  }, [state, remember]);

  useLayoutEffect(() => {
    const element = stage.current;
    if (!element) return;
    const observer = new ResizeObserver(() => {
      const place = snapped(element.getBoundingClientRect(), devicePixelRatio);
      setPlace(place);
      setState((now) => (now.fitted ? { ...now, view: fit(control, paneOf(now, place)) } : now));
      setMeasured(place.width > 0);
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [control]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new wish moves the view, not each change of the window
  useEffect(() => {
    if (!measured) return;
    if (opening.box) setState((now) => atBox(now, opening.box ?? [], place));
    if (opening.layer) setState((now) => ({ ...now, layer: opening.layer, layerHidden: false }));
  }, [opening, measured]);

  const act = (what: ViewerAct) => {
    if (what.do === "keys") setKeysOpen(true);
    else
      setState((now) =>
        acted(
          now,
          what,
          control,
          place,
          layers.map((each) => each.name),
        ),
      );
  };

  const inPane = (event: { clientX: number; clientY: number }): Point => {
    const box = stage.current?.getBoundingClientRect();
    const x = event.clientX - (box?.left ?? 0) - place.left;
    const right = state.mode === "side by side" && x >= place.width - pane.width;
    return { x: right ? x - (place.width - pane.width) : x, y: event.clientY - (box?.top ?? 0) - place.top };
  };

  // React listens to wheels passively, so the page would scroll as well
  useEffect(() => {
    const element = stage.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const lines = event.deltaMode === WheelEvent.DOM_DELTA_LINE ? 16 : 1;
      const factor = 2 ** (-(event.deltaY * lines) / 240);
      const at = inPane(event);
      setState((now) => ({
        ...now,
        view: held(zoomAt(now.view, factor, at, paneOf(now, place)), control),
        fitted: false,
      }));
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  });

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement && event.target.closest("input, textarea, select, [role=dialog]");
      const what = typing ? null : actFor(event);
      if (!what) return;
      const scrolls = event.key.startsWith("Arrow");
      if (scrolls && !(stage.current?.contains(event.target as Node) || event.target === document.body))
        return;
      event.preventDefault();
      act(what);
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  });

  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_17.75rem]">
      <div className="flex min-h-0 min-w-0 flex-col">
        <Toolbar
          state={state}
          act={act}
          layers={layers}
          onLayer={(layer) => setState((now) => ({ ...now, layer, layerHidden: false }))}
          onExposure={(exposure) => setState((now) => ({ ...now, exposure }))}
        />
        <section
          ref={stage}
          aria-label="Pictures"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: the stage takes arrow keys for panning
          tabIndex={0}
          data-mode={state.mode}
          data-zoom={state.view.zoom}
          data-map={map?.layer.name ?? spots?.layer.name ?? ""}
          className="relative min-h-0 flex-1 touch-none overflow-hidden bg-[#1c1c1c]"
          onPointerDown={(event) => {
            if (event.button !== 0) return;
            event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onPointerMove={(event) => {
            if (event.currentTarget.hasPointerCapture(event.pointerId)) {
              const { movementX, movementY } = event;
              setState((now) => ({
                ...now,
                view: held(panBy(now.view, movementX, movementY), control),
                fitted: false,
              }));
            }
            setPointer(toPicture(state.view, inPane(event), pane));
          }}
          onPointerLeave={() => setPointer(null)}
          onDoubleClick={() => act({ do: "fit" })}
        >
          <div className="absolute" style={place}>
            {place.width > 0 ? (
              <PictureCanvas
                control={control}
                trial={trial}
                transform={transform.state === "table" ? transform.table : null}
                map={map}
                state={state}
                pane={place}
              />
            ) : null}
            {state.mode === "divided" ? (
              <DividingLine
                line={state.line}
                pane={place}
                onChange={(line) => setState((now) => ({ ...now, line }))}
              />
            ) : null}
            {state.mode === "difference" ? (
              <DifferenceLegend range={differenceRange(state.exposure)} />
            ) : null}
            {spots && state.mode !== "difference" ? (
              <Spots shown={spots} picture={control} state={state} pane={place} />
            ) : null}
            {state.mode !== "difference" ? <LayerLegend layer={layer} hidden={state.layerHidden} /> : null}
            {state.labels && state.mode !== "difference" ? <Labels state={state} /> : null}
          </div>
        </section>
      </div>
      <aside
        aria-label="Figures, verdict and match sheet"
        className="flex min-h-0 flex-col border-line border-l"
      >
        <div className="min-h-0 flex-1 overflow-auto px-3.5 py-3">{panel}</div>
        <Readout
          at={pointer}
          control={control}
          trial={trial}
          map={shownLayer}
          shown={`${shownWords(transform)}${sizeWords(control, trial)}`}
        />
      </aside>
      <KeySheet open={keysOpen} onOpenChange={setKeysOpen} />
    </div>
  );
}

/** How a trial of another size is brought to the control's, for looking only. */
function sizeWords(control: Pixels, trial: Pixels): string {
  if (control.width === trial.width && control.height === trial.height) return "";
  const scale = control.width / trial.width;
  const how =
    scale > 1 ? "enlarged, each pixel a square" : "reduced, averaged where smaller than a screen pixel";
  return ` The trial, ${trial.width} × ${trial.height}, is shown at the control's size (${how}): for looking, not for measuring.`;
}

function shownWords(transform: Exclude<Transform, { state: "loading" }>): string {
  if (transform.state === "table") return `Shown through ${transform.table.name}.`;
  return transform.trouble || `Shown through ${transform.name}.`;
}

/** Which side is which, each in a corner of its own half. */
function Labels({ state }: { state: ViewerState }) {
  const alone = state.mode === "control" || state.mode === "trial";
  const corners =
    state.mode === "divided"
      ? cornersOf(state.line)
      : { control: "top-2 left-2", trial: "top-2 left-[calc(50%+0.5rem)]" };
  return (
    <div className="pointer-events-none text-sm">
      {(["control", "trial"] as const)
        .filter((side) => !alone || state.mode === side)
        .map((side) => (
          <span
            key={side}
            className={`absolute bg-white/98 px-1.5 ${alone ? "top-2 left-2" : corners[side]}`}
            data-label={side}
          >
            <SideName side={side} />
          </span>
        ))}
    </div>
  );
}
