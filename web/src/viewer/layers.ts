import type { Schema } from "../api/client";
import type { Pyramid } from "./pyramid";

/** A place in the picture that a map marks, and its value. */
export type Spot = { readonly x: number; readonly y: number; readonly value: number };

/** A map of each side, or one for both, on one scale; a side without one shows its picture, and `missing` says why. */
export type ShownLayer = {
  readonly layer: Schema["Layer"];
  readonly control: Pyramid | null;
  readonly trial: Pyramid | null;
  /** The marked places of a map that marks single pixels, in each side's own pixels. */
  readonly spots: readonly [readonly Spot[], readonly Spot[]];
  readonly missing: string;
  readonly low: number;
  readonly high: number;
};

/** Whether a map's values lie to either side of nothing: signed ones around 0, ratios around 1 (kept as log2). */
export function isSigned(scale: Schema["Layer"]["scale"]): boolean {
  return scale === "signed" || scale === "ratio";
}

/** A value as it is read: a ratio from its logarithm. */
export function readAs(scale: Schema["Layer"]["scale"], value: number): number {
  return scale === "ratio" ? 2 ** value : value;
}

/** One scale for both sides' maps: as wide as the wider of the two, and even around 0 where it is signed. */
export function sharedRange(
  ends: readonly { low: number | null; high: number | null }[],
  signed: boolean,
): [number, number] {
  const high = Math.max(...ends.map((end) => Math.max(end.high ?? 0, -(end.low ?? 0))));
  const top = high > 0 ? high : 1;
  return signed ? [-top, top] : [0, top];
}
