import type { Point } from "./viewport";

/** The corners of a convex polygon, in shares of a pane. */
export type Polygon = readonly Point[];

export const WHOLE_PANE: Polygon = [
  { x: 0, y: 0 },
  { x: 1, y: 0 },
  { x: 1, y: 1 },
  { x: 0, y: 1 },
];

/** The part of a convex polygon where a linear function of the place is 0 or more. */
export function cut(polygon: Polygon, inside: (at: Point) => number): Polygon {
  return polygon.flatMap((from, place) => {
    const to = polygon[(place + 1) % polygon.length] ?? from;
    const [one, two] = [inside(from), inside(to)];
    const share = one / (one - two);
    const crossing = { x: from.x + share * (to.x - from.x), y: from.y + share * (to.y - from.y) };
    return [...(one >= 0 ? [from] : []), ...(one >= 0 !== two >= 0 ? [crossing] : [])];
  });
}

/** The part of a convex polygon within a box, from left and top to right and bottom. */
export function within(
  polygon: Polygon,
  box: { left: number; top: number; right: number; bottom: number },
): Polygon {
  const sides: ((at: Point) => number)[] = [
    (at) => at.x - box.left,
    (at) => box.right - at.x,
    (at) => at.y - box.top,
    (at) => box.bottom - at.y,
  ];
  return sides.reduce<Polygon>(cut, polygon);
}
