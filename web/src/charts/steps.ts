/** A frontier goes in steps: until the next option nothing is cleaner. */
export function stepsOf(points: { x: number; y: number }[]): { x: number; y: number }[] {
  return points.flatMap((point, number) => {
    const before = points[number - 1];
    return before
      ? [
          { x: point.x, y: before.y },
          { x: point.x, y: point.y },
        ]
      : [{ x: point.x, y: point.y }];
  });
}
