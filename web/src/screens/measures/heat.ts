import type { Schema } from "../../api/client";
import { grouped } from "../../parts/grouped";

export type MeasureRow = Schema["MeasureRow"];
export type MeasureKind = Schema["MeasureKind"];

/** How far from good a value is, to be compared in a column: 0 is best, larger is worse. */
export function badness(value: number, kind: MeasureKind): number {
  if (kind.better === "nearest 0") return Math.abs(value);
  if (kind.better === "nearest 1") return Math.abs(Math.log(Math.max(value, 1e-6)));
  return value;
}

/** By row and measure, from 0 for the best of its column to 1 for the worst, among those of one place and zone. What
 * cannot be told apart, or stands alone, has no shade. */
export function shades(rows: readonly MeasureRow[], kinds: readonly MeasureKind[]): Map<string, number> {
  const found = new Map<string, number>();
  const groups = grouped(rows, (row) => `${row.place}\n${row.zone}`);
  for (const kind of kinds.filter((each) => each.better)) {
    for (const group of groups.values()) {
      const values = group.flatMap((row) => {
        const value = row.cells[kind.name]?.value;
        return value == null ? [] : [badness(value, kind)];
      });
      const [low, high] = [Math.min(...values), Math.max(...values)];
      if (values.length < 2 || !(high > low)) continue;
      for (const row of group) {
        const value = row.cells[kind.name]?.value;
        if (value == null) continue;
        found.set(shadeKey(row, kind), share(badness(value, kind), low, high));
      }
    }
  }
  return found;
}

/** By ratios where all are above 0, since figures of noise differ by times; else straight. */
function share(value: number, low: number, high: number): number {
  if (low > 0) return Math.log(value / low) / Math.log(high / low);
  return (value - low) / (high - low);
}

export function shadeKey(row: MeasureRow, kind: MeasureKind): string {
  return `${row.option} ${row.zone} ${kind.name}`;
}

const DARKEST = 0.13;

/** A shade of the ink that leaves the words on it readable. */
export function shadeColour(share: number | undefined): string | undefined {
  return share === undefined
    ? undefined
    : `color-mix(in srgb, var(--color-ink) ${(share * DARKEST * 100).toFixed(1)}%, transparent)`;
}
