import type { Schema } from "../api/client";
import type { PanePlace } from "./panes";
import { aligned, type Point, type Size, toScreen, type Viewport } from "./viewport";

export type Pin = Pick<Schema["Pin"], "id" | "x" | "y" | "note">;

/** Numbered marks at the pins' places, in every pane; a mark opens its note. */
export function Pins(props: {
  pins: readonly Pin[];
  chosen: number | null;
  onChoose: (id: number | null) => void;
  frame: Size;
  view: Viewport;
  panes: readonly PanePlace[];
}) {
  const { pins, chosen, onChoose, frame, view, panes } = props;
  return panes.map((pane) => (
    <div
      key={`${pane.left} ${pane.top}`}
      className="pointer-events-none absolute overflow-hidden"
      style={{ left: pane.left, top: pane.top, width: pane.width, height: pane.height }}
    >
      {pins.map((pin, place) => {
        const at = pinPlace(pin, frame, view, pane);
        return (
          <span key={pin.id} className="absolute" style={{ left: at.x, top: at.y }}>
            <button
              type="button"
              data-pin={pin.id}
              aria-label={`Pin ${place + 1}: ${pin.note}`}
              aria-expanded={chosen === pin.id}
              className="pointer-events-auto absolute -top-3 -left-3 h-6 min-w-6 rounded-full border-2 border-white bg-black px-1 text-paper text-xs outline-1 outline-black"
              onClick={() => onChoose(chosen === pin.id ? null : pin.id)}
            >
              {place + 1}
            </button>
            {chosen === pin.id ? (
              <span
                className={`absolute top-4 w-56 whitespace-pre-line bg-field px-2 py-1 text-sm ${at.x > pane.width - 240 ? "right-0" : "left-0"}`}
                data-part="pin-note"
              >
                {pin.note}
              </span>
            ) : null}
          </span>
        );
      })}
    </div>
  ));
}

function pinPlace(pin: Pin, frame: Size, view: Viewport, pane: Size): Point {
  return toScreen(
    aligned(view, pane, devicePixelRatio),
    { x: pin.x * frame.width - 0.5, y: pin.y * frame.height - 0.5 },
    pane,
  );
}
