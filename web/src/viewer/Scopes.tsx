import { useEffect, useRef, useState } from "react";
import { three } from "../parts/format";
import { SIDE_TITLE, SideMark, type SideName } from "../parts/Side";
import { BINS, COLUMNS, LEAST_STOP, MOST_STOP, ROWS, type Scope, scopeOf } from "./scopes";
import type { ViewerState } from "./state";
import { tileStore } from "./tiles";
import type { Resolved } from "./viewed";
import type { Size } from "./viewport";

const AFTER = 120;
const WIDTH = 244;
const HEIGHT = 64;
const SIDES: readonly SideName[] = ["control", "trial"];

/** Histogram and waveform of what is in view, for both sides, gathered once the view rests. */
export function Scopes(props: {
  pictures: readonly Resolved[];
  frame: Size;
  pane: Size;
  state: ViewerState;
}) {
  const { pictures, frame, pane, state } = props;
  const [scopes, setScopes] = useState<readonly (Scope | null)[]>([]);
  const { view, exposure } = state;
  useEffect(() => {
    let timer = 0;
    const gather = () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(
        () =>
          setScopes(
            pictures
              .slice(0, 2)
              .map(({ pyramid }) =>
                pyramid ? scopeOf(tileStore, pyramid, frame, pane, view, exposure) : null,
              ),
          ),
        AFTER,
      );
    };
    gather();
    const end = tileStore.listen(gather);
    return () => {
      window.clearTimeout(timer);
      end();
    };
  }, [pictures, frame, pane, view, exposure]);
  return (
    <section
      aria-label="Histogram and waveform"
      className="shrink-0 border-line border-t px-3.5 py-1.5 text-xs"
      data-part="scopes"
    >
      <Histogram scopes={scopes} />
      <div className="mt-1 flex gap-2">
        {SIDES.map((side, place) => (
          <Waveform key={side} side={side} scope={scopes[place] ?? null} />
        ))}
      </div>
      <p className="mt-0.5 text-soft">
        Luminance in view, stops from display white
        {SIDES.map((side, place) => {
          const scope = scopes[place];
          return scope ? (
            <span key={side} data-part="clipped" data-side={side}>
              ; {SIDE_TITLE[side].toLowerCase()} {three(100 * scope.white)} % at or above it
            </span>
          ) : null;
        })}
      </p>
    </section>
  );
}

function Histogram({ scopes }: { scopes: readonly (Scope | null)[] }) {
  const most = Math.max(1e-9, ...scopes.flatMap((scope) => [...(scope?.histogram ?? [])]));
  const x = (stop: number) => ((stop - LEAST_STOP) / (MOST_STOP - LEAST_STOP)) * WIDTH;
  const path = (scope: Scope) =>
    [...scope.histogram]
      .map((share, bin) => {
        const y = HEIGHT - Math.sqrt(share / most) * (HEIGHT - 2);
        return `${bin ? "L" : "M"}${(bin / BINS) * WIDTH} ${y}L${((bin + 1) / BINS) * WIDTH} ${y}`;
      })
      .join("");
  return (
    <svg
      width={WIDTH}
      height={HEIGHT + 13}
      role="img"
      aria-label="Histogram of the luminance in view, heights by the root of the share"
    >
      {[-12, -8, -4, 0, 4].map((stop) => (
        <g key={stop}>
          <path d={`M${x(stop)} 0V${HEIGHT}`} stroke={stop ? "var(--color-line)" : "var(--color-soft)"} />
          <text
            x={x(stop)}
            y={HEIGHT + 11}
            fontSize="11"
            fill="var(--color-soft)"
            textAnchor={stop === LEAST_STOP ? "start" : stop === MOST_STOP ? "end" : "middle"}
          >
            {stop > 0 ? `+${stop}` : stop < 0 ? `−${-stop}` : "0"}
          </text>
        </g>
      ))}
      {SIDES.map((side, place) => {
        const scope = scopes[place];
        return scope ? (
          <path
            key={side}
            d={path(scope)}
            fill="none"
            stroke={`var(--color-${side})`}
            strokeWidth={1.5}
            strokeDasharray={side === "trial" ? "4 2" : undefined}
            data-side={side}
          />
        ) : null;
      })}
    </svg>
  );
}

function Waveform({ side, scope }: { side: SideName; scope: Scope | null }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const drawing = canvas.current?.getContext("2d");
    if (!drawing) return;
    const [red = 0, green = 0, blue = 0] = (
      getComputedStyle(drawing.canvas).color.match(/[\d.]+/g) ?? []
    ).map(Number);
    const image = drawing.createImageData(COLUMNS, ROWS);
    for (let cell = 0; cell < COLUMNS * ROWS; cell++) {
      const ink = scope ? Math.min(1, Math.sqrt(4 * (scope.waveform[cell] ?? 0))) : 0;
      image.data.set([red, green, blue, Math.round(255 * ink)], 4 * cell);
    }
    drawing.putImageData(image, 0, 0);
  }, [scope]);
  return (
    <figure className="flex-1">
      <canvas
        ref={canvas}
        width={COLUMNS}
        height={ROWS}
        role="img"
        aria-label={`Waveform of the ${side}: luminance by column`}
        className="w-full border border-line bg-field"
      />
      <figcaption className="flex items-center gap-1">
        <SideMark side={side} size={8} /> {SIDE_TITLE[side]}
      </figcaption>
    </figure>
  );
}
