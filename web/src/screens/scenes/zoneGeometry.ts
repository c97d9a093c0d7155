/** Geometry of zones in shares of the picture; knows no screen. */
export type Corner = readonly [number, number];
export type Shape = "rectangle" | "polygon";

export const LEAST = 0.004;

export function inPicture([x, y]: Corner): Corner {
  return [Math.min(Math.max(x, 0), 1), Math.min(Math.max(y, 0), 1)];
}

/** All corners of a zone's outline; of a rectangle two opposite corners are kept. */
export function outline(shape: Shape, points: readonly Corner[]): Corner[] {
  if (shape === "polygon") return [...points];
  const [[x0, y0] = [0, 0], [x1, y1] = [0, 0]] = points;
  return [
    [x0, y0],
    [x1, y0],
    [x1, y1],
    [x0, y1],
  ];
}

/** A rectangle's two corners in order, left top first. */
export function ordered([[x0, y0], [x1, y1]]: readonly [Corner, Corner]): [Corner, Corner] {
  return [
    [Math.min(x0, x1), Math.min(y0, y1)],
    [Math.max(x0, x1), Math.max(y0, y1)],
  ];
}

/** All corners moved together, as far as the picture's edges allow. */
export function movedBy(points: readonly Corner[], dx: number, dy: number): Corner[] {
  const xs = points.map(([x]) => x);
  const ys = points.map(([, y]) => y);
  const right = Math.min(Math.max(dx, -Math.min(...xs)), 1 - Math.max(...xs));
  const down = Math.min(Math.max(dy, -Math.min(...ys)), 1 - Math.max(...ys));
  return points.map(([x, y]) => [x + right, y + down]);
}

/** One corner of the outline put elsewhere; a rectangle stays one. */
export function cornerAt(shape: Shape, points: readonly Corner[], index: number, to: Corner): Corner[] {
  const at = inPicture(to);
  if (shape === "polygon") return points.map((point, k) => (k === index ? at : point));
  const [a = [0, 0], b = [0, 0]] = points;
  // outline order: left top, right top, right bottom, left bottom
  const left = index === 0 || index === 3;
  const top = index === 0 || index === 1;
  return [
    [left ? at[0] : a[0], top ? at[1] : a[1]],
    [left ? b[0] : at[0], top ? b[1] : at[1]],
  ];
}

export function large(points: readonly Corner[]): boolean {
  const xs = points.map(([x]) => x);
  const ys = points.map(([, y]) => y);
  return Math.max(...xs) - Math.min(...xs) >= LEAST && Math.max(...ys) - Math.min(...ys) >= LEAST;
}

/** The part of a picture of this size that holds a zone, in whole pixels. */
export function pixelBox(points: readonly Corner[], width: number, height: number) {
  const xs = points.map(([x]) => x);
  const ys = points.map(([, y]) => y);
  const left = Math.floor(Math.min(...xs) * width + 1e-6);
  const top = Math.floor(Math.min(...ys) * height + 1e-6);
  return {
    x: left,
    y: top,
    width: Math.max(Math.ceil(Math.max(...xs) * width - 1e-6) - left, 1),
    height: Math.max(Math.ceil(Math.max(...ys) * height - 1e-6) - top, 1),
  };
}
