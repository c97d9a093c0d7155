import { useEffect, useRef, useState } from "react";
import { ownPoint } from "./drawing";
import type { Pyramid } from "./pyramid";
import { type Drawing, PictureRenderer, type Probed } from "./renderer";
import { tileStore } from "./tiles";
import type { TransformShader } from "./useTransform";
import type { Point, Size, Viewport } from "./viewport";

/** Pixels to read as they are displayed. */
export type Probe = readonly Probed[];

/** The canvas: draws once a frame at most, and only when something changed or has arrived. */
export function PictureCanvas({
  drawing,
  transform,
  size,
  probe,
  onDisplayed,
}: {
  drawing: Drawing;
  transform: TransformShader | null;
  size: Size;
  probe: Probe;
  onDisplayed: (values: number[][]) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const renderer = useRef<PictureRenderer>(null);
  const [trouble, setTrouble] = useState("");
  const [lost, setLost] = useState(0);
  const latest = useRef({ drawing, size, probe, onDisplayed });
  latest.current = { drawing, size, probe, onDisplayed };
  const pace = useRef(new Pace());
  const schedule = useScheduled(() => {
    const { current: element } = canvas;
    const { current: drawer } = renderer;
    if (!element || !drawer) return;
    if (drawer.busy) return schedule();
    try {
      const { again, after } = paint(element, drawer, latest.current, pace.current);
      if (again) schedule();
      if (after) window.setTimeout(schedule, after);
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
    }
  });

  // biome-ignore lint/correctness/useExhaustiveDependencies: `lost` asks for a new renderer after the browser took the old one
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    try {
      renderer.current = new PictureRenderer(element, tileStore);
      setTrouble("");
    } catch (error) {
      setTrouble(error instanceof Error ? error.message : String(error));
      return;
    }
    const onLost = (event: Event) => {
      event.preventDefault();
      renderer.current = null;
    };
    const onBack = () => setLost((count) => count + 1);
    element.addEventListener("webglcontextlost", onLost);
    element.addEventListener("webglcontextrestored", onBack);
    return () => {
      renderer.current?.dispose();
      renderer.current = null;
      element.removeEventListener("webglcontextlost", onLost);
      element.removeEventListener("webglcontextrestored", onBack);
    };
  }, [lost]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new renderer needs its view transform again
  useEffect(() => renderer.current?.transform(transform), [transform, lost]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: whatever of these changes is drawn
  useEffect(schedule, [drawing, size, probe, transform, lost]);
  useEffect(() => tileStore.listen(schedule), [schedule]);

  return (
    <>
      <canvas
        ref={canvas}
        className="absolute inset-0 h-full w-full [image-rendering:pixelated]"
        data-part="picture"
      />
      {trouble ? (
        <p role="alert" className="absolute inset-x-8 top-8 bg-field p-3">
          {trouble} The figures beside it are not affected.
        </p>
      ) : null}
    </>
  );
}

/** Draws what is latest. Returns whether to draw again at once, or after some milliseconds. */
function paint(
  element: HTMLCanvasElement,
  renderer: PictureRenderer,
  latest: { drawing: Drawing; size: Size; probe: Probe; onDisplayed: (values: number[][]) => void },
  pace: Pace,
): { again: boolean; after: number } {
  const { drawing, size, probe, onDisplayed } = latest;
  const incomplete = element.dataset.shows === shows(drawing) && element.dataset.whole === "false";
  const coarse = pace.coarse(drawing, performance.now(), incomplete);
  const ratio = devicePixelRatio * (coarse ? 0.5 : 1);
  const width = Math.max(1, Math.round(size.width * ratio));
  const height = Math.max(1, Math.round(size.height * ratio));
  if (element.width !== width || element.height !== height) {
    Object.assign(element, { width, height });
    renderer.resized();
  }
  const { seen, whole, more } = renderer.draw(drawing, ratio);
  element.dataset.drawn = String(Number(element.dataset.drawn ?? 0) + 1);
  element.dataset.seen = String(seen);
  element.dataset.whole = String(whole);
  element.dataset.shows = shows(drawing);
  element.dataset.sharp = String(whole && !coarse);
  const there = probe.every(
    ({ pyramid, over, at }) => isRead(pyramid, at) && (!over || isRead(over, ownPoint(over, at, pyramid))),
  );
  const read = probe.length > 0 && there && !pace.moving;
  const values = read ? renderer.displayed(drawing, probe) : null;
  if (values) onDisplayed(values);
  const again = more || (whole && incomplete && coarse) || (read && !values);
  return { again, after: pace.moving ? SETTLED : 0 };
}

const SETTLED = 140;
const SLOW = 30;

function isRead(pyramid: Pyramid, at: Point): boolean {
  return tileStore.read(pyramid, at).state === "there";
}

function shows(drawing: Drawing): string {
  return drawing.ahead.map((pyramid) => pyramid.digest).join(" ");
}

/** Notices how long a drawing takes here, and whether the view is moving. */
class Pace {
  private average = 0;
  private begun = 0;
  private view: Viewport | null = null;
  private moved = Number.NEGATIVE_INFINITY;
  moving = false;

  /**
   * Called before each drawing. Returns whether to draw it coarsely: a whole one takes too long here, and the view moves or
   * parts are still on their way.
   */
  coarse(drawing: Drawing, now: number, incomplete: boolean): boolean {
    const view = drawing.panes[0]?.view ?? null;
    const changed = JSON.stringify(view) !== JSON.stringify(this.view);
    const wasMoving = this.moving;
    if (changed && this.view) this.moved = now;
    this.view = view;
    this.moving = now - this.moved < SETTLED;
    // between two drawings that follow each other lies what the first of them took
    if ((wasMoving && this.moving) || (incomplete && this.begun > 0))
      this.average += 0.3 * (now - this.begun - this.average);
    this.begun = now;
    return (this.moving || incomplete) && this.average > SLOW;
  }
}

/** A function that has `run` called once in the next frame, however often it is called before. */
function useScheduled(run: () => void): () => void {
  const newest = useRef(run);
  newest.current = run;
  const frame = useRef(0);
  const [schedule] = useState(() => () => {
    if (frame.current) return;
    frame.current = requestAnimationFrame(() => {
      frame.current = 0;
      newest.current();
    });
  });
  useEffect(
    () => () => {
      cancelAnimationFrame(frame.current);
      frame.current = 0;
    },
    [],
  );
  return schedule;
}
