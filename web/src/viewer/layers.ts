import type { Schema } from "../api/client";
import { fromHalf, type Pixels } from "./pixels";
import type { Size } from "./viewport";

/** A map of each side, or one for both, on one scale; a side without one shows its picture, and `missing` says why. */
export type ShownLayer = {
  readonly layer: Schema["Layer"];
  readonly control: Pixels | null;
  readonly trial: Pixels | null;
  readonly missing: string;
  readonly low: number;
  readonly high: number;
};

/** A place in the picture that a map marks, and its value. */
export type Spot = { readonly x: number; readonly y: number; readonly value: number };

const MOST_SPOTS = 3000;

/** One scale for both sides' maps: as wide as the wider of the two, and even around 0 where it is signed. */
export function sharedRange(
  ends: readonly { low: number | null; high: number | null }[],
  signed: boolean,
): [number, number] {
  const high = Math.max(...ends.map((end) => Math.max(end.high ?? 0, -(end.low ?? 0))));
  const top = high > 0 ? high : 1;
  return signed ? [-top, top] : [0, top];
}

/** A map's value at a place, or null outside and where there is none. */
export function layerValueAt(pixels: Pixels | null, x: number, y: number): number | null {
  if (!pixels) return null;
  const column = Math.floor(x);
  const row = Math.floor(y);
  if (column < 0 || row < 0 || column >= pixels.width || row >= pixels.height) return null;
  const value = fromHalf(pixels.halves[(row * pixels.width + column) * 4] ?? 0);
  return Number.isFinite(value) ? value : null;
}

/** The places above 0 of a map that marks single pixels, strongest first; at another size when it is shown at that. */
export function spotsOf(pixels: Pixels | null, shownAt?: Size): Spot[] {
  const found: Spot[] = [];
  if (!pixels) return found;
  for (let at = 0; at < pixels.width * pixels.height; at++) {
    const half = pixels.halves[at * 4] ?? 0;
    if (half === 0 || half & 0x8000) continue;
    const value = fromHalf(half);
    if (value > 0 && Number.isFinite(value))
      found.push({ x: at % pixels.width, y: Math.floor(at / pixels.width), value });
  }
  if (shownAt && (shownAt.width !== pixels.width || shownAt.height !== pixels.height)) {
    const across = shownAt.width / pixels.width;
    const down = shownAt.height / pixels.height;
    for (const spot of found)
      Object.assign(spot, { x: (spot.x + 0.5) * across - 0.5, y: (spot.y + 0.5) * down - 0.5 });
  }
  return found.sort((a, b) => b.value - a.value).slice(0, MOST_SPOTS);
}
