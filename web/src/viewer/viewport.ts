/** Which part of a picture is shown: the picture's point in the middle of the window, and screen pixels per picture pixel. */
export type Viewport = { readonly x: number; readonly y: number; readonly zoom: number };
export type Size = { readonly width: number; readonly height: number };
export type Point = { readonly x: number; readonly y: number };

/** A size with an offset inside its parent, in CSS pixels. */
export type Place = Size & { readonly left: number; readonly top: number };

export const MOST_ZOOM = 64;
export const LEAST_ZOOM = 1 / 32;

/** The whole picture, in the middle, as large as fits. */
export function fit(picture: Size, pane: Size): Viewport {
  const zoom = Math.min(pane.width / picture.width, pane.height / picture.height);
  return { x: picture.width / 2, y: picture.height / 2, zoom: bounded(zoom) };
}

/** Zoom so that the picture's point under `at` (from the pane's top left) stays there. */
export function zoomAt(view: Viewport, factor: number, at: Point, pane: Size): Viewport {
  const zoom = bounded(view.zoom * factor);
  const under = toPicture(view, at, pane);
  return { x: under.x - (at.x - pane.width / 2) / zoom, y: under.y - (at.y - pane.height / 2) / zoom, zoom };
}

/** Move the picture by screen pixels. */
export function panBy(view: Viewport, dx: number, dy: number): Viewport {
  return { ...view, x: view.x - dx / view.zoom, y: view.y - dy / view.zoom };
}

/** Keep at least the picture's edge in the pane, so that it cannot be lost. */
export function held(view: Viewport, picture: Size): Viewport {
  return {
    ...view,
    x: Math.min(Math.max(view.x, 0), picture.width),
    y: Math.min(Math.max(view.y, 0), picture.height),
  };
}

export function toPicture(view: Viewport, at: Point, pane: Size): Point {
  return {
    x: view.x + (at.x - pane.width / 2) / view.zoom,
    y: view.y + (at.y - pane.height / 2) / view.zoom,
  };
}

/**
 * The view that is drawn: the picture's corner falls on a whole device pixel, so that at 1:1 every picture pixel is exactly
 * one of the screen's.
 */
export function aligned(view: Viewport, pane: Size, ratio: number): Viewport {
  const zoom = view.zoom * ratio;
  const moved = (middle: number, side: number) => {
    const extent = Math.round(side * ratio);
    return (extent / 2 - Math.round(extent / 2 - middle * zoom)) / zoom;
  };
  return { x: moved(view.x, pane.width), y: moved(view.y, pane.height), zoom: view.zoom };
}

/** The middle of a picture pixel on the pane. */
export function toScreen(view: Viewport, pixel: Point, pane: Size): Point {
  return {
    x: pane.width / 2 + (pixel.x + 0.5 - view.x) * view.zoom,
    y: pane.height / 2 + (pixel.y + 0.5 - view.y) * view.zoom,
  };
}

/**
 * The largest place inside a box whose edges fall on whole device pixels. A canvas that does not begin and end on them is
 * resampled by the browser, and no picture pixel is a screen pixel any more.
 */
export function snapped(
  box: { left: number; top: number; width: number; height: number },
  ratio: number,
): Place {
  const first = (edge: number) => Math.ceil(edge * ratio - 1e-3) / ratio;
  const last = (edge: number) => Math.floor(edge * ratio + 1e-3) / ratio;
  const [left, top] = [first(box.left), first(box.top)];
  return {
    left: left - box.left,
    top: top - box.top,
    width: last(box.left + box.width) - left,
    height: last(box.top + box.height) - top,
  };
}

function bounded(zoom: number): number {
  return Math.min(Math.max(zoom, LEAST_ZOOM), MOST_ZOOM);
}
