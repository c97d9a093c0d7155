import { cut, type Polygon, WHOLE_PANE } from "./polygon";
import type { Point, Size } from "./viewport";

/**
 * The dividing line, in shares of the pane so that it keeps its place when the window changes: a point on it, and
 * the angle of the direction that points to the trial's side, in degrees (0: the trial lies to the right).
 */
export type Line = { readonly x: number; readonly y: number; readonly angle: number };

export const UPRIGHT: Line = { x: 0.5, y: 0.5, angle: 0 };
export const RING_DISTANCE = 110;

/** The unit vector that points to the trial's side. */
export function toTrial(line: Line): Point {
  const radians = (line.angle * Math.PI) / 180;
  return { x: Math.cos(radians), y: Math.sin(radians) };
}

/** The control's and the trial's part of a pane as polygons, in shares of it; empty where the line leaves none. */
export function halvesOf(line: Line, pane: Size): [Polygon, Polygon] {
  return [onSide(WHOLE_PANE, line, pane, 0), onSide(WHOLE_PANE, line, pane, 1)];
}

/** The part of a polygon on one side of a line: 0 the control's, 1 the trial's. */
export function onSide(polygon: Polygon, line: Line, pane: Size, side: 0 | 1): Polygon {
  const across = acrossLine(line, pane);
  return cut(polygon, side === 1 ? across : (at) => -across(at));
}

/** How far a place in shares of the pane lies on the trial's side, in pixels. */
function acrossLine(line: Line, pane: Size): (at: Point) => number {
  const normal = toTrial(line);
  return (at) => (at.x - line.x) * pane.width * normal.x + (at.y - line.y) * pane.height * normal.y;
}

/** Both ends on the pane's border circle, and where the grip and the ring sit, in pixels. */
export function places(line: Line, pane: Size): { from: Point; to: Point; grip: Point; ring: Point } {
  const grip = { x: line.x * pane.width, y: line.y * pane.height };
  const normal = toTrial(line);
  const along = { x: -normal.y, y: normal.x };
  const far = pane.width + pane.height;
  const down = Math.min(RING_DISTANCE, pane.height / 3);
  const sign = inside(grip.x + along.x * down, grip.y + along.y * down, pane) ? 1 : -1;
  return {
    from: { x: grip.x - along.x * far, y: grip.y - along.y * far },
    to: { x: grip.x + along.x * far, y: grip.y + along.y * far },
    grip,
    ring: { x: grip.x + sign * along.x * down, y: grip.y + sign * along.y * down },
  };
}

/** The line moved so that it passes through a place. */
export function movedTo(line: Line, at: Point, pane: Size): Line {
  return { ...line, x: share(at.x / pane.width), y: share(at.y / pane.height) };
}

/** The line turned about its grip so that the ring, which hung at `from`, comes to `at`; whole degrees, upright is sticky. */
export function turnedTo(line: Line, from: Point, at: Point, pane: Size): Line {
  const grip = { x: line.x * pane.width, y: line.y * pane.height };
  const before = Math.atan2(from.y - grip.y, from.x - grip.x);
  const after = Math.atan2(at.y - grip.y, at.x - grip.x);
  return turned(line, ((after - before) * 180) / Math.PI);
}

/** The line turned by some degrees. */
export function turned(line: Line, degrees: number): Line {
  let angle = Math.round(line.angle + degrees);
  for (const straight of [-180, -90, 0, 90, 180]) if (Math.abs(angle - straight) <= 2) angle = straight;
  if (angle > 180) angle -= 360;
  if (angle <= -180) angle += 360;
  return { ...line, angle };
}

/** The corner of each side that lies deepest in its half, as classes: level or upright lines keep both labels in line. */
export function cornersOf(line: Line): { control: string; trial: string } {
  const { x, y } = toTrial(line);
  const level = Math.abs(x) < 0.01;
  const upright = Math.abs(y) < 0.01;
  const corner = (right: boolean, bottom: boolean) =>
    `${bottom ? "bottom-2" : "top-2"} ${right ? "right-2" : "left-2"}`;
  return {
    trial: corner(!level && x > 0, !upright && y > 0),
    control: corner(!level && x < 0, !upright && y < 0),
  };
}

function inside(x: number, y: number, pane: Size): boolean {
  return x > 12 && y > 12 && x < pane.width - 12 && y < pane.height - 12;
}

function share(value: number): number {
  return Math.min(Math.max(value, 0), 1);
}
