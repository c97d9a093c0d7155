import { three } from "../parts/format";
import { EVEN, gradientOf, SIDES } from "./scales";

/** The scale of the difference in units. */
export function DifferenceLegend({ kind, range }: { kind: "signed" | "absolute"; range: number }) {
  const signed = kind === "signed";
  return (
    <div className="absolute bottom-3 left-3 bg-field/98 px-2 py-1 text-sm" data-part="legend">
      <p>
        {signed ? "Trial minus control" : "Size of the difference"}, linear luminance
        {signed ? "" : "; its sign is left out"}
      </p>
      <div
        className="mt-1 h-3 w-80 border border-soft"
        style={{ background: gradientOf(signed ? SIDES : EVEN) }}
      />
      <p className="flex justify-between">
        <span>{signed ? `−${three(range)} control brighter` : "0"}</span>
        <span>{signed ? `trial brighter +${three(range)}` : `${three(range)} or more`}</span>
      </p>
    </div>
  );
}
