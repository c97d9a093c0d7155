import { three } from "../parts/format";
import { isSigned, readAs, type ShownLayer } from "./layers";
import { gradientOf, stopsOf } from "./scales";
import type { LayerState } from "./useLayer";

/** What a map shows, its scale in units; or why there is none. */
export function LayerLegend({ layer, hidden }: { layer: LayerState; hidden: boolean }) {
  if (layer.state === "none") return null;
  return (
    <div
      className="absolute bottom-3 left-3 max-w-[28rem] bg-field/98 px-2 py-1 text-sm"
      data-part="layer-legend"
      data-state={layer.state}
      role="status"
    >
      {layer.state === "making" ? <p>{layer.title}: the map is being made, between renders.</p> : null}
      {layer.state === "refused" ? (
        <p>
          {layer.title}: no map, <span className="text-fault">{layer.reason}</span>
        </p>
      ) : null}
      {layer.state === "there" ? <Scale shown={layer.shown} hidden={hidden} /> : null}
    </div>
  );
}

function Scale({ shown, hidden }: { shown: ShownLayer; hidden: boolean }) {
  const { layer, low, high } = shown;
  const missing = shown.missing ? <p className="text-fault">{shown.missing}</p> : null;
  if (layer.scale === "spots")
    return (
      <>
        <p>
          {layer.title}
          {hidden ? " (hidden)" : ""}, one in each ring; point at it to read its brightness in {layer.unit}.
        </p>
        {missing}
      </>
    );
  return (
    <>
      <p>
        {layer.title}, {layer.unit}
        {hidden ? " (hidden)" : ""}. <span className="text-soft">{layer.about}</span>
      </p>
      {missing}
      <div className="mt-1 h-3 w-80 border border-soft" style={{ background: gradientOf(stopsOf(layer)) }} />
      <p className="flex w-80 justify-between">
        <span>{ended(low, layer.scale)}</span>
        {isSigned(layer.scale) ? <span>{layer.scale === "ratio" ? "1" : "0"}</span> : null}
        <span>
          {layer.scale === "signed" ? "+" : ""}
          {three(readAs(layer.scale, high))} or more
        </span>
      </p>
    </>
  );
}

function ended(low: number, scale: ShownLayer["layer"]["scale"]): string {
  if (scale === "ratio") return `${three(readAs(scale, low))} or less`;
  return scale === "signed" ? `−${three(-low)} or less` : three(low);
}
