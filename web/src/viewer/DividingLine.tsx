import { useRef } from "react";
import { type Line, movedTo, places, turned, turnedTo } from "./line";
import type { Point, Size } from "./viewport";

/** The line over the picture: drag its grip to move it, its ring to turn it. Arrow keys do the same. */
export function DividingLine({
  line,
  pane,
  onChange,
}: {
  line: Line;
  pane: Size;
  onChange: (line: Line) => void;
}) {
  const group = useRef<SVGSVGElement>(null);
  const { from, to, grip, ring } = places(line, pane);
  const local = (event: React.PointerEvent): Point => {
    const box = group.current?.getBoundingClientRect();
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
  };
  const dragging = (change: (at: Point) => Line) => ({
    onPointerDown: (event: React.PointerEvent) => {
      event.stopPropagation();
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: React.PointerEvent) => {
      if (event.currentTarget.hasPointerCapture(event.pointerId)) onChange(change(local(event)));
    },
  });
  const keys = (map: Record<string, () => Line>) => ({
    onKeyDown: (event: React.KeyboardEvent) => {
      const next = map[event.key];
      if (!next) return;
      event.preventDefault();
      event.stopPropagation();
      onChange(next());
    },
  });
  const step = (dx: number, dy: number) => () =>
    movedTo(line, { x: (line.x + dx) * pane.width, y: (line.y + dy) * pane.height }, pane);
  const turn = (degrees: number) => () => turned(line, degrees);
  return (
    // biome-ignore lint/a11y/noSvgWithoutTitle: its two sliders carry the names; a title would hang a hint over the picture
    <svg ref={group} className="pointer-events-none absolute inset-0 h-full w-full">
      <line x1={from.x} y1={from.y} x2={to.x} y2={to.y} stroke="black" strokeOpacity="0.6" strokeWidth="3" />
      <line x1={from.x} y1={from.y} x2={to.x} y2={to.y} stroke="white" strokeWidth="1" />
      <line
        x1={from.x}
        y1={from.y}
        x2={to.x}
        y2={to.y}
        stroke="transparent"
        strokeWidth="14"
        className="pointer-events-auto cursor-move"
        data-part="line"
        {...dragging((at) => movedTo(line, at, pane))}
      />
      <g
        role="slider"
        tabIndex={0}
        aria-label="Place of the dividing line"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(line.x * 100)}
        aria-valuetext={`${Math.round(line.x * 100)} % across`}
        className="pointer-events-auto cursor-move"
        data-part="grip"
        {...dragging((at) => movedTo(line, at, pane))}
        {...keys({
          ArrowLeft: step(-0.01, 0),
          ArrowRight: step(0.01, 0),
          ArrowUp: step(0, -0.01),
          ArrowDown: step(0, 0.01),
        })}
      >
        <rect x={grip.x - 9} y={grip.y - 9} width="18" height="18" fill="white" stroke="black" />
        <path d={`M${grip.x - 5} ${grip.y}h10M${grip.x} ${grip.y - 5}v10`} stroke="black" strokeWidth="1.5" />
      </g>
      <g
        role="slider"
        tabIndex={0}
        aria-label="Angle of the dividing line"
        aria-valuemin={-180}
        aria-valuemax={180}
        aria-valuenow={line.angle}
        aria-valuetext={`${line.angle} degrees`}
        className="pointer-events-auto cursor-grab"
        data-part="ring"
        {...dragging((at) => turnedTo(line, ring, at, pane))}
        {...keys({ ArrowLeft: turn(-3), ArrowRight: turn(3) })}
      >
        <circle cx={ring.x} cy={ring.y} r="8" fill="white" stroke="black" />
        <circle cx={ring.x} cy={ring.y} r="3.5" fill="none" stroke="black" strokeWidth="1.5" />
      </g>
    </svg>
  );
}
