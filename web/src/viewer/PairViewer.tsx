import { type ReactNode, useCallback, useEffect, useMemo, useState } from "react";
import type { Schema } from "../api/client";
import { Loading } from "../parts/Notice";
import { KeySheet } from "./KeySheet";
import { actFor, type ViewerAct } from "./keys";
import type { Pin } from "./Pins";
import { Readout } from "./Readout";
import { Scopes } from "./Scopes";
import { type Pointed, Stage } from "./Stage";
import { atBox, paneSize, type Shown } from "./state";
import { Toolbar } from "./Toolbar";
import { useFrame } from "./useFrame";
import { type LayerSource, useLayer } from "./useLayer";
import { usePyramids } from "./usePyramids";
import { type Transform, useTransform } from "./useTransform";
import { useViewer } from "./useViewer";
import { digestsOf, passesOf, type Resolved, resolved, type Viewed } from "./viewed";
import type { Place, Point, Size } from "./viewport";

const NOWHERE: Place = { left: 0, top: 0, width: 0, height: 0 };
const BEYOND_NOISE = "difference";
const NOTHING_DISPLAYED: ReadonlyMap<string, readonly number[]> = new Map();

/** What to open with, or to go to: a map by name, and a box of the picture to fill the window with. */
export type Opening = { readonly layer: string; readonly box: readonly number[] | null };

export type PinBench = {
  readonly pins: readonly Pin[];
  readonly chosen: number | null;
  readonly onChoose: (id: number | null) => void;
  /** Asked for by key: a pin at a place in shares of the picture. */
  readonly onPlace: (at: Point) => void;
};

/** Control and trial, and what stands beside them, at the same place, magnification and exposure. */
export function PairViewer({
  viewed,
  transform: transformName,
  layers,
  zones,
  places,
  source,
  opening,
  pinBench,
  onVerdict,
  panel,
}: {
  viewed: readonly Viewed[];
  transform: string;
  layers: readonly Schema["LayerKind"][];
  zones: Shown["zones"];
  places: Shown["places"];
  source: LayerSource;
  opening: Opening;
  pinBench: PinBench;
  /** Asked for by key: which to use. */
  onVerdict: () => void;
  panel: ReactNode;
}) {
  const [place, setPlace] = useState<Place>(NOWHERE);
  const [pointed, setPointed] = useState<Pointed>(null);
  const [displayed, setDisplayed] = useState(NOTHING_DISPLAYED);
  const [keysOpen, setKeysOpen] = useState(false);
  const transform = useTransform(transformName);
  const passes = useMemo(() => passesOf(viewed), [viewed]);
  const { state, setState, act: look, know } = useViewer("viewer");
  const { pass, over } = state;
  const pyramids = usePyramids(digestsOf(viewed, pass, over));
  const pictures = useMemo(() => resolved(viewed, pyramids, pass, over), [viewed, pyramids, pass, over]);
  const { frame, last: size } = useFrame(pictures);
  const shown: Shown = {
    frame: size,
    window: place,
    pictures: viewed.length,
    layers: layers.map((each) => each.name),
    passes,
    zones,
    places,
  };
  know(shown);
  const beyond = state.mode === "difference" && state.difference === "beyond noise";
  const wanted = beyond ? BEYOND_NOISE : state.mode === "difference" ? "" : state.layer;
  const layer = useLayer(layers.find((each) => each.name === wanted) ?? null, source);

  const [there, settled] = [place.width > 0, frame !== null];
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new wish moves the view, not each change of the window
  useEffect(() => {
    if (!there || !frame) return;
    if (opening.box) setState((now) => atBox(now, opening.box ?? [], { ...shown, frame }));
    if (opening.layer) setState((now) => ({ ...now, layer: opening.layer, layerHidden: false }));
  }, [opening, there, settled]);

  const act = useCallback(
    (what: ViewerAct) => {
      if (what.do === "keys") setKeysOpen(true);
      else if (what.do === "verdict") onVerdict();
      else if (what.do === "pin") pinBench.onPlace(pinPlace(pointed, state.view, size));
      else look(what);
    },
    [look, pinBench, onVerdict, pointed, state.view, size],
  );
  useKeys(act, state.full, keysOpen);

  const troubled = pictures.length > 0 && pictures.slice(0, 2).every((each) => each.trouble);
  const aside = (
    <aside
      aria-label="Figures, verdict and match sheet"
      className="flex min-h-0 flex-col border-line border-l"
    >
      <div className="min-h-0 flex-1 overflow-auto px-3.5 py-3">{panel}</div>
      {state.scopes && frame ? (
        <Scopes
          pictures={pictures}
          frame={frame}
          pane={paneSize(state.mode, { frame, window: place, pictures: viewed.length })}
          state={state}
        />
      ) : null}
      <Readout
        at={pointed}
        pictures={pictures}
        frame={size}
        map={layer.state === "there" && !state.layerHidden ? layer.shown : null}
        displayed={displayed}
        shown={transform.state === "loading" ? "" : `${shownWords(transform)}${sizeWords(pictures)}`}
      />
    </aside>
  );
  return (
    <div
      className={
        state.full
          ? "fixed inset-0 z-30 flex flex-col bg-paper"
          : "grid h-full min-h-0 grid-cols-[minmax(0,1fr)_17.75rem]"
      }
      data-full={state.full}
    >
      <div className="flex min-h-0 min-w-0 flex-1 flex-col">
        {state.full ? null : (
          <Toolbar
            state={state}
            act={act}
            change={setState}
            layers={layers}
            passes={passes}
            several={viewed.length > 2}
          />
        )}
        {transform.state !== "loading" && (size.width > 1 || troubled) ? (
          <Stage
            pictures={pictures}
            frame={size}
            place={place}
            onPlace={setPlace}
            state={state}
            change={setState}
            act={act}
            transform={transform}
            layer={layer}
            pins={pinBench.pins}
            chosenPin={pinBench.chosen}
            onChoosePin={pinBench.onChoose}
            onPointed={setPointed}
            onDisplayed={setDisplayed}
          >
            {state.full ? (
              <button
                type="button"
                className="act !min-h-0 absolute right-2 bottom-2 text-sm"
                onClick={() => act({ do: "full" })}
              >
                Leave full window (Z)
              </button>
            ) : null}
          </Stage>
        ) : (
          <div className="flex-1">
            <Loading what="pictures" />
          </div>
        )}
      </div>
      {state.full ? null : aside}
      <KeySheet open={keysOpen} onOpenChange={setKeysOpen} />
    </div>
  );
}

/** Keys act wherever the focus is, but where something is typed or chosen. */
function useKeys(act: (act: ViewerAct) => void, full: boolean, sheet: boolean) {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (full && !sheet && event.key === "Escape") return act({ do: "full" });
      const target = event.target instanceof HTMLElement ? event.target : document.body;
      const typing = target.closest("input, textarea, select, [role=dialog], [role=slider]");
      const what = actFor(event);
      if (!what) return;
      // what these keys do elsewhere on a page stays theirs
      const turns = event.key.startsWith("Arrow") || event.key.startsWith("Page") || event.key === "Enter";
      if (typing && (turns || !typing.matches("[role=slider]"))) return;
      if (turns && !(target === document.body || target.closest('[aria-label="Pictures"]'))) return;
      event.preventDefault();
      act(what);
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, [act, full, sheet]);
}

/** Where the pointer is, else the middle of the view, in shares of the picture. */
function pinPlace(pointed: Pointed, view: Point, frame: Size): Point {
  const at = pointed ?? view;
  const share = (value: number) => Math.min(Math.max(value, 0), 1);
  return { x: share(at.x / frame.width), y: share(at.y / frame.height) };
}

/** How a trial of another size is brought to the control's, for looking only. */
function sizeWords(pictures: readonly Resolved[]): string {
  const [control, trial] = pictures.map((each) => each.pyramid);
  if (!control || !trial) return "";
  if (control.width === trial.width && control.height === trial.height) return "";
  const scale = control.width / trial.width;
  const how =
    scale > 1 ? "enlarged, each pixel a square" : "reduced, averaged where smaller than a screen pixel";
  return ` The trial, ${trial.width} × ${trial.height}, is shown at the control's size (${how}): for looking, not for measuring.`;
}

function shownWords(transform: Exclude<Transform, { state: "loading" }>): string {
  if (transform.state === "shader") return `Shown through ${transform.shader.name}.`;
  return transform.trouble || `Shown through ${transform.name}.`;
}
