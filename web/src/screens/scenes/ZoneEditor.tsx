import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Schema } from "../../api/client";
import {
  type Corner,
  cornerAt,
  inPicture,
  large,
  movedBy,
  ordered,
  outline,
  type Shape,
} from "./zoneGeometry";

export type Zone = Schema["Zone"];
export type Drawing = Shape | null;
type Draft = { id: number; points: Corner[] };
type Drag = { id: number; corner: number | null; from: Corner; points: Corner[] };

const STEP = 0.005;
const SIDES: Record<string, Corner> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Zones over a picture: draw, move, resize by corners, all by pointer or keyboard. Lines are neutral: no hue on the picture. */
export function ZoneEditor({
  picture,
  alt,
  ratio,
  zones,
  chosen,
  drawing,
  onChoose,
  onDrawn,
  onChange,
  onRemove,
  onCancel,
}: {
  picture: string;
  alt: string;
  ratio: number;
  zones: Zone[];
  chosen: number | null;
  drawing: Drawing;
  onChoose: (id: number | null) => void;
  onDrawn: (shape: Shape, points: Corner[]) => void;
  onChange: (id: number, points: Corner[]) => void;
  onRemove: (id: number) => void;
  onCancel: () => void;
}) {
  const frame = useRef<SVGSVGElement>(null);
  const [begun, setBegun] = useState<Corner[]>([]);
  const [hover, setHover] = useState<Corner | null>(null);
  const [moving, setMoving] = useState<Draft | null>(null);
  const [drawn, setDrawn] = useState(drawing);
  if (drawn !== drawing) {
    // another shape, or none: what was begun is let go
    setDrawn(drawing);
    setBegun([]);
    setHover(null);
  }
  const drag = useRef<Drag | null>(null);

  const at = (event: PointerEvent | React.MouseEvent): Corner => {
    const box = frame.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    return inPicture([(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height]);
  };
  const pointsOf = (zone: Zone): Corner[] =>
    moving?.id === zone.id ? moving.points : (zone.points as unknown as Corner[]);
  const finish = (points: Corner[]) => {
    setBegun([]);
    setHover(null);
    if (drawing && large(points)) onDrawn(drawing, points);
  };
  const press = (event: KeyboardEvent) => {
    if (event.key === "Escape") {
      setBegun([]);
      setHover(null);
      onCancel();
    }
    if (event.key === "Enter" && drawing === "polygon" && begun.length >= 3) finish(begun);
  };

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys pass through here from the zones, which are focusable
    <div className="relative" onKeyDown={press}>
      {picture ? (
        <img
          src={picture}
          alt={alt}
          className="block w-full"
          style={{ aspectRatio: ratio }}
          draggable={false}
        />
      ) : (
        <div
          className="flex w-full items-center justify-center bg-[#767676] text-white"
          style={{ aspectRatio: ratio }}
        >
          No picture of this view yet; zones can be drawn all the same.
        </div>
      )}
      <svg
        ref={frame}
        className={`absolute inset-0 h-full w-full touch-none ${drawing ? "cursor-crosshair" : ""}`}
        viewBox="0 0 1000 1000"
        preserveAspectRatio="none"
        data-part="zones"
        onPointerDown={(event) => {
          if (drawing === "rectangle") {
            event.currentTarget.setPointerCapture(event.pointerId);
            setBegun([at(event)]);
          } else if (drawing === "polygon") {
            setBegun((corners) => [...corners, at(event)]);
          } else if (event.target === event.currentTarget) {
            onChoose(null);
          }
        }}
        onPointerMove={(event) => {
          if (drawing) setHover(at(event));
          const held = drag.current;
          if (!held) return;
          const zone = zones.find((each) => each.id === held.id);
          if (!zone) return;
          const [x, y] = at(event);
          const points =
            held.corner === null
              ? movedBy(held.points, x - held.from[0], y - held.from[1])
              : cornerAt(zone.shape, held.points, held.corner, [x, y]);
          setMoving({ id: held.id, points });
        }}
        onPointerUp={(event) => {
          const [start] = begun;
          if (drawing === "rectangle" && start) finish(ordered([start, at(event)]));
          const held = drag.current;
          drag.current = null;
          if (held && moving) {
            const zone = zones.find((each) => each.id === held.id);
            const [a, b] = moving.points;
            const points = zone?.shape === "rectangle" && a && b ? ordered([a, b]) : moving.points;
            if (large(points)) onChange(held.id, points);
            setMoving(null);
          }
        }}
        onDoubleClick={() => {
          // the double click has set its corner twice
          if (drawing === "polygon" && begun.length >= 4) finish(begun.slice(0, -1));
        }}
      >
        <title>Zones of this view</title>
        {zones.map((zone) => (
          <ZoneShape
            key={zone.id}
            zone={zone}
            points={pointsOf(zone)}
            chosen={zone.id === chosen}
            idle={drawing === null}
            onDown={(event, corner) => {
              event.stopPropagation();
              frame.current?.setPointerCapture(event.pointerId);
              onChoose(zone.id);
              drag.current = { id: zone.id, corner, from: at(event), points: pointsOf(zone) };
            }}
            onKey={(event) => {
              const step = SIDES[event.key];
              const far = event.shiftKey ? 5 * STEP : STEP;
              if (event.key === "Delete" || event.key === "Backspace") onRemove(zone.id);
              else if (event.key === "Enter") onChoose(zone.id);
              else if (step) onChange(zone.id, movedBy(pointsOf(zone), step[0] * far, step[1] * far));
              else return;
              event.preventDefault();
            }}
          />
        ))}
        {drawing && begun.length > 0 ? (
          <polygon points={places(drawing, hover ? [...begun, hover] : begun)} {...LINE} fill="none" />
        ) : null}
      </svg>
      {zones.map((zone) => (
        <ZoneLabel key={zone.id} zone={zone} points={pointsOf(zone)} chosen={zone.id === chosen} />
      ))}
    </div>
  );
}

const LINE = { stroke: "white", strokeWidth: 1.5, vectorEffect: "non-scaling-stroke" } as const;

function places(shape: Shape, points: readonly Corner[]): string {
  return outline(shape, points)
    .map(([x, y]) => `${1000 * x},${1000 * y}`)
    .join(" ");
}

function ZoneShape({
  zone,
  points,
  chosen,
  idle,
  onDown,
  onKey,
}: {
  zone: Zone;
  points: Corner[];
  chosen: boolean;
  idle: boolean;
  onDown: (event: PointerEvent, corner: number | null) => void;
  onKey: (event: KeyboardEvent) => void;
}) {
  const leftOut = zone.kind === "leave out";
  const shape = places(zone.shape, points);
  return (
    // biome-ignore lint/a11y/useSemanticElements: an SVG shape cannot be a button element
    <g
      tabIndex={idle ? 0 : -1}
      role="button"
      aria-label={`Zone ${zone.name}, ${leftOut ? "left out" : "measured"}; arrow keys move it`}
      aria-pressed={chosen}
      data-zone={zone.name}
      className={`outline-none ${idle ? "cursor-move" : "pointer-events-none"}`}
      onKeyDown={onKey}
    >
      <polygon
        points={shape}
        fill={leftOut ? "rgb(0 0 0 / 45%)" : "transparent"}
        onPointerDown={(event) => onDown(event, null)}
      />
      <g className="pointer-events-none" fill="none">
        <polygon
          points={shape}
          stroke="black"
          strokeWidth={chosen ? 4 : 3}
          vectorEffect="non-scaling-stroke"
        />
        <polygon
          points={shape}
          {...LINE}
          strokeWidth={chosen ? 2 : 1.5}
          strokeDasharray={leftOut ? "6 4" : undefined}
        />
      </g>
      {chosen && idle
        ? outline(zone.shape, points).map((corner, index) => (
            <rect
              // biome-ignore lint/suspicious/noArrayIndexKey: a corner is its place in the outline
              key={index}
              x={1000 * corner[0] - 7}
              y={1000 * corner[1] - 12}
              width={14}
              height={24}
              fill="white"
              stroke="black"
              vectorEffect="non-scaling-stroke"
              className="cursor-nwse-resize"
              data-corner={index}
              onPointerDown={(event) => onDown(event, index)}
            />
          ))
        : null}
    </g>
  );
}

function ZoneLabel({ zone, points, chosen }: { zone: Zone; points: Corner[]; chosen: boolean }) {
  const left = Math.min(...points.map(([x]) => x));
  const top = Math.min(...points.map(([, y]) => y));
  return (
    <span
      className={`pointer-events-none absolute max-w-40 truncate px-1 text-sm ${chosen ? "bg-ink text-paper" : "bg-field/95 text-ink"}`}
      style={{ left: `${100 * left}%`, top: `${100 * top}%` }}
    >
      {zone.name}
      {zone.kind === "leave out" ? ", left out" : ""}
    </span>
  );
}
