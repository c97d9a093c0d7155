import { Keyboard, Maximize } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import type { Schema } from "../api/client";
import { fixed } from "../parts/format";
import type { ViewerAct } from "./keys";
import { LookMenu } from "./LookMenu";
import { MODE_TITLES, MODES, type Mode } from "./modes";
import { LEAST_EXPOSURE, MOST_EXPOSURE, SURROUNDS, type ViewerState } from "./state";

/** How the two are shown, exposure, zoom and surround. */
export function Toolbar({
  state,
  act,
  change,
  layers,
  passes,
  several,
}: {
  state: ViewerState;
  act: (act: ViewerAct) => void;
  change: (to: (now: ViewerState) => ViewerState) => void;
  layers: readonly Schema["LayerKind"][];
  passes: readonly string[];
  /** Whether there are more than two pictures. */
  several: boolean;
}) {
  const surround = SURROUNDS[state.surround] ?? SURROUNDS[0];
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 border-line border-b px-2 py-1 text-sm">
      <ToggleGroup.Root
        type="single"
        value={state.mode}
        onValueChange={(mode) => mode && act({ do: "mode", mode: mode as Mode })}
        aria-label="How the two are shown"
        className="flex"
      >
        {MODES.filter((mode) => several || mode !== "together").map((mode) => (
          <ToggleGroup.Item
            key={mode}
            value={mode}
            aria-label={mode === "control" || mode === "trial" ? `${MODE_TITLES[mode]} only` : undefined}
            className="-ml-px border border-edge bg-field px-1.5 py-0.5 first:ml-0 data-[state=on]:border-ink data-[state=on]:bg-ink data-[state=on]:text-paper"
          >
            {MODE_TITLES[mode]}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      <label>
        <span className="sr-only">Map</span>
        <select
          className="w-[6.6rem] border border-edge bg-field py-0.5"
          value={state.layer}
          onChange={(event) => {
            const layer = event.target.value;
            change((now) => ({ ...now, layer, layerHidden: false }));
          }}
        >
          <option value="">No map</option>
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
          onChange={(event) => {
            const exposure = Number(event.target.value);
            change((now) => ({ ...now, exposure }));
          }}
          className="w-14 accent-ink"
        />
        <output className="w-[3.9rem]">
          {state.exposure > 0 ? "+" : ""}
          {fixed(state.exposure, 2)} EV
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
        <output className="w-10 text-right" aria-label="Zoom">
          {zoomWords(state.view.zoom)}
        </output>
      </span>
      <span className="ml-auto flex items-center gap-1.5">
        <LookMenu state={state} change={change} act={act} passes={passes} />
        <button
          type="button"
          className="act !min-h-0 flex items-center gap-1.5"
          onClick={() => act({ do: "surround" })}
          aria-label={`Surround: ${surround.title.toLowerCase()}`}
        >
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
        <button
          type="button"
          className="act !min-h-0"
          onClick={() => act({ do: "full" })}
          aria-label="Full window"
        >
          <Maximize size={15} aria-hidden="true" />
        </button>
        <button type="button" className="act !min-h-0" onClick={() => act({ do: "keys" })} aria-label="Keys">
          <Keyboard size={16} aria-hidden="true" />
        </button>
      </span>
    </div>
  );
}

function zoomWords(zoom: number): string {
  return zoom >= 10 ? `${Math.round(zoom)} ×` : `${fixed(zoom, 2)} ×`;
}
