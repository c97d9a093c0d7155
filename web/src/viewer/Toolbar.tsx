import { Keyboard } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import type { Schema } from "../api/client";
import type { ViewerAct } from "./keys";
import { MODES, type Mode } from "./renderer";
import { LEAST_EXPOSURE, MODE_TITLES, MOST_EXPOSURE, SURROUNDS, type ViewerState } from "./state";

/** How the two are shown, exposure, zoom and surround. */
export function Toolbar({
  state,
  act,
  layers,
  onLayer,
  onExposure,
}: {
  state: ViewerState;
  act: (act: ViewerAct) => void;
  layers: readonly Schema["LayerKind"][];
  onLayer: (name: string) => void;
  onExposure: (stops: number) => void;
}) {
  const surround = SURROUNDS[state.surround] ?? SURROUNDS[0];
  return (
    <div className="flex flex-wrap items-center gap-x-2.5 gap-y-1 border-line border-b px-2 py-1 text-sm">
      <ToggleGroup.Root
        type="single"
        value={state.mode}
        onValueChange={(mode) => mode && act({ do: "mode", mode: mode as Mode })}
        aria-label="How the two are shown"
        className="flex"
      >
        {MODES.map((mode) => (
          <ToggleGroup.Item
            key={mode}
            value={mode}
            aria-label={mode === "control" || mode === "trial" ? `${MODE_TITLES[mode]} only` : undefined}
            className="-ml-px border border-[#8b8e8c] bg-white px-2 py-0.5 first:ml-0 data-[state=on]:border-ink data-[state=on]:bg-ink data-[state=on]:text-white"
          >
            {MODE_TITLES[mode]}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      <label className="flex items-center gap-1.5">
        Map
        <select
          className="w-32 border border-[#8b8e8c] bg-white py-0.5"
          value={state.layer}
          onChange={(event) => onLayer(event.target.value)}
        >
          <option value="">none</option>
          {layers.map((layer) => (
            <option key={layer.name} value={layer.name}>
              {layer.title}
            </option>
          ))}
        </select>
      </label>
      <span className="flex items-center gap-1.5">
        <input
          aria-label="Exposure"
          type="range"
          min={LEAST_EXPOSURE}
          max={MOST_EXPOSURE}
          step={0.25}
          value={state.exposure}
          onChange={(event) => onExposure(Number(event.target.value))}
          className="w-16 accent-ink"
        />
        <output className="w-[4rem]">
          {state.exposure > 0 ? "+" : ""}
          {state.exposure.toFixed(2)} EV
        </output>
      </span>
      <span className="flex items-center gap-1.5">
        <button
          type="button"
          className="act !min-h-0"
          onClick={() => act({ do: "fit" })}
          aria-pressed={state.fitted}
        >
          Fit
        </button>
        <button type="button" className="act !min-h-0" onClick={() => act({ do: "zoom", to: 1 })}>
          1:1
        </button>
        <output className="w-12 text-right" aria-label="Zoom">
          {zoomWords(state.view.zoom)}
        </output>
      </span>
      <span className="ml-auto flex items-center gap-1.5">
        <button
          type="button"
          className="act !min-h-0 flex items-center gap-1.5"
          onClick={() => act({ do: "surround" })}
          aria-label={`Surround: ${surround.title.toLowerCase()}`}
        >
          Surround
          <span
            aria-hidden="true"
            className="inline-block h-3.5 w-3.5 border border-soft"
            style={{
              background: `rgb(${Array(3)
                .fill(Math.round(255 * surround.value))
                .join(" ")})`,
            }}
          />
        </button>
        <button type="button" className="act !min-h-0" onClick={() => act({ do: "keys" })} aria-label="Keys">
          <Keyboard size={16} aria-hidden="true" />
        </button>
      </span>
    </div>
  );
}

function zoomWords(zoom: number): string {
  return zoom >= 10 ? `${Math.round(zoom)} ×` : `${zoom.toFixed(2)} ×`;
}
