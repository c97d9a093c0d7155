import type { ShownLayer } from "./layers";
import type { PanePlace } from "./panes";
import type { Pyramid } from "./pyramid";
import type { Combining, Drawing, Pane, Slots } from "./renderer";
import { EVEN, SIDES, stopsOf } from "./scales";
import { differenceRange, SURROUNDS, type ViewerState } from "./state";
import type { Resolved } from "./viewed";
import type { Place, Point, Size } from "./viewport";

const LOUPE_SIDE = 132;
const LOUPE_GAP = 2;
const LOUPE_MARGIN = 12;
const LEAST_LOUPE = 8;
const MOST_LOUPE = 64;

/** What the canvas is to show. */
export function drawingOf(
  state: ViewerState,
  pictures: readonly Resolved[],
  panes: readonly PanePlace[],
  map: ShownLayer | null,
  frame: Size,
  loupe: readonly Place[],
  pointer: Point | null,
): Drawing {
  const alone = (index: number): Slots => ({
    pictures: [pictures[index]?.pyramid ?? null, null],
    maps: [(index === 0 ? map?.control : index === 1 ? map?.trial : null) ?? null, null],
    over: [pictures[index]?.over ?? null, null],
  });
  const shown = panes.map((pane): Pane => {
    const slots = pane.picture === null ? bothOf(pictures, map) : alone(pane.picture);
    return { ...pane, combining: combiningOf(state, pane.picture), slots, view: state.view };
  });
  if (pointer)
    for (const [index, place] of loupe.entries())
      shown.push({
        ...place,
        combining: "alone",
        slots: alone(index),
        view: {
          x: Math.floor(pointer.x) + 0.5,
          y: Math.floor(pointer.y) + 0.5,
          zoom: loupeZoom(state.view.zoom),
        },
      });
  const size = differenceRange(state.exposure);
  const kind = state.difference;
  const difference = state.mode === "difference" && kind !== "beyond noise";
  return {
    panes: shown,
    ahead: pictures.slice(0, 2).flatMap((each) => each.pyramid ?? []),
    frame,
    line: state.line,
    exposure: state.exposure,
    lift: state.lift,
    channel: state.channel,
    soft: state.soft,
    surround: SURROUNDS[state.surround]?.value ?? SURROUNDS[0].value,
    range: difference ? [kind === "signed" ? -size : 0, size] : map ? [map.low, map.high] : [0, 1],
    colours: difference ? (kind === "signed" ? SIDES : EVEN) : map ? stopsOf(map.layer) : EVEN,
  };
}

/** Where the two squares of the loupe lie: at the bottom, away from the pointer. */
export function loupePlaces(window: Size, pointer: Point): Place[] {
  const width = 2 * LOUPE_SIDE + LOUPE_GAP;
  const left = pointer.x > window.width / 2 ? LOUPE_MARGIN : window.width - width - LOUPE_MARGIN;
  const top = window.height - LOUPE_SIDE - LOUPE_MARGIN;
  return [0, 1].map((index) => ({
    left: Math.round(left) + index * (LOUPE_SIDE + LOUPE_GAP),
    top: Math.round(top),
    width: LOUPE_SIDE,
    height: LOUPE_SIDE,
  }));
}

export function loupeZoom(zoom: number): number {
  return Math.min(Math.max(LEAST_LOUPE, 4 * zoom), MOST_LOUPE);
}

/** The places of the shown pictures under a point of the frame, in their own pixels. */
export function pointsUnder(pictures: readonly Resolved[], at: Point, frame: Size) {
  return pictures.flatMap((each, index) => {
    const { pyramid, over } = each;
    if (!pyramid) return [];
    return [{ index, pyramid, over, at: ownPoint(pyramid, at, frame) }];
  });
}

/** A point of the frame in a picture's own pixels. */
export function ownPoint(pyramid: Pyramid, at: Point, frame: Size): Point {
  return { x: (at.x * pyramid.width) / frame.width, y: (at.y * pyramid.height) / frame.height };
}

function bothOf(pictures: readonly Resolved[], map: ShownLayer | null): Slots {
  const [control, trial] = pictures;
  return {
    pictures: [control?.pyramid ?? null, trial?.pyramid ?? null],
    maps: [map?.control ?? null, map?.trial ?? null],
    over: [control?.over ?? null, trial?.over ?? null],
  };
}

function combiningOf(state: ViewerState, picture: number | null): Combining {
  if (picture !== null) return "alone";
  if (state.mode !== "difference") return "divided";
  if (state.difference === "beyond noise") return "alone";
  return state.difference === "signed" ? "difference" : "size of difference";
}
