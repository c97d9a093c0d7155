import { type RefObject, useEffect, useRef } from "react";
import { type PanePlace, paneAt } from "./panes";
import type { ViewerState } from "./state";
import { aligned, held, type Place, type Point, panBy, type Size, toPicture, zoomAt } from "./viewport";

const LINE_PIXELS = 16;
const HALVED_OVER = 240;
const PINCH_HALVED_OVER = 100;
const NOTCH = 40;
/** Steps of one stroke on a pad follow each other within so many milliseconds. */
const STROKE = 120;

/**
 * Mouse, touch pad and touch over the stage: the wheel zooms at the pointer, two fingers on a pad move and pinch, dragging
 * moves, two fingers on a screen do both.
 */
export function usePointing(
  stage: RefObject<HTMLElement | null>,
  place: Place,
  panes: readonly PanePlace[],
  frame: Size,
  view: ViewerState["view"],
  change: (to: (now: ViewerState) => ViewerState) => void,
  onPointer: (at: { frame: Point; window: Point } | null) => void,
) {
  const fingers = useRef(new Map<number, Point>());
  const lastPad = useRef(Number.NEGATIVE_INFINITY);
  const inWindow = (event: { clientX: number; clientY: number }): Point => {
    const box = stage.current?.getBoundingClientRect();
    return {
      x: event.clientX - (box?.left ?? 0) - place.left,
      y: event.clientY - (box?.top ?? 0) - place.top,
    };
  };
  const inPane = (at: Point) => {
    const pane = paneAt(panes, at);
    return { pane, at: { x: at.x - pane.left, y: at.y - pane.top } };
  };
  const zoom = (factor: number, at: Point) => {
    const under = inPane(at);
    change((now) => ({
      ...now,
      view: held(zoomAt(now.view, factor, under.at, under.pane), frame),
      fitted: false,
    }));
  };
  const pan = (dx: number, dy: number) =>
    change((now) => ({ ...now, view: held(panBy(now.view, dx, dy), frame), fitted: false }));

  // React listens to wheels passively, so the page would scroll as well
  useEffect(() => {
    const element = stage.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const by = event.deltaMode === WheelEvent.DOM_DELTA_LINE ? LINE_PIXELS : 1;
      // a pinch comes with Ctrl; two fingers on a pad begin with small or slanted steps, a wheel comes in notches
      const small = by === 1 && (event.deltaX !== 0 || Math.abs(event.deltaY) < NOTCH);
      const pad = small || event.timeStamp - lastPad.current < STROKE;
      if (event.ctrlKey) zoom(2 ** ((-event.deltaY * by) / PINCH_HALVED_OVER), inWindow(event));
      else if (pad) {
        lastPad.current = event.timeStamp;
        pan(-event.deltaX, -event.deltaY);
      } else zoom(2 ** ((-event.deltaY * by) / HALVED_OVER), inWindow(event));
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  });

  return {
    onPointerDown: (event: React.PointerEvent<HTMLElement>) => {
      // a button in the stage keeps its click, which a captured pointer would take away from it
      const onControl = event.target instanceof Element && event.target.closest("button, a");
      if (event.button !== 0 || onControl) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      fingers.current.set(event.pointerId, inWindow(event));
    },
    onPointerMove: (event: React.PointerEvent<HTMLElement>) => {
      const at = inWindow(event);
      const before = fingers.current.get(event.pointerId);
      if (before) {
        const other = [...fingers.current].find(([id]) => id !== event.pointerId)?.[1];
        if (other) {
          const spread = (one: Point) => Math.max(Math.hypot(one.x - other.x, one.y - other.y), 1);
          const middle = { x: (at.x + other.x) / 2, y: (at.y + other.y) / 2 };
          zoom(spread(at) / spread(before), middle);
          pan((at.x - before.x) / 2, (at.y - before.y) / 2);
        } else {
          pan(at.x - before.x, at.y - before.y);
        }
        fingers.current.set(event.pointerId, at);
      }
      const under = inPane(at);
      onPointer({
        frame: toPicture(aligned(view, under.pane, devicePixelRatio), under.at, under.pane),
        window: at,
      });
    },
    onPointerUp: (event: React.PointerEvent<HTMLElement>) => {
      fingers.current.delete(event.pointerId);
    },
    onPointerCancel: (event: React.PointerEvent<HTMLElement>) => {
      fingers.current.delete(event.pointerId);
    },
    onPointerLeave: () => onPointer(null),
  };
}
