import { useEffect, useRef, useState } from "react";
import type { ShownLayer } from "./layers";
import type { Pixels } from "./pixels";
import { PairRenderer } from "./renderer";
import { differenceRange, SURROUNDS, type ViewerState } from "./state";
import type { TransformTable } from "./useTransformTable";
import type { Size } from "./viewport";

/** The canvas: draws once a frame at most, and only when something changed. */
export function PictureCanvas({
  control,
  trial,
  transform,
  map,
  state,
  pane,
}: {
  control: Pixels;
  trial: Pixels;
  transform: TransformTable | null;
  map: ShownLayer | null;
  state: ViewerState;
  pane: Size;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const renderer = useRef<PairRenderer>(null);
  const [trouble, setTrouble] = useState("");
  const [lost, setLost] = useState(0);

  // biome-ignore lint/correctness/useExhaustiveDependencies: `lost` asks for a new renderer after the browser took the old one
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    try {
      renderer.current = new PairRenderer(element);
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
      element.removeEventListener("webglcontextlost", onLost);
      element.removeEventListener("webglcontextrestored", onBack);
    };
  }, [lost]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new renderer needs its pictures again
  useEffect(() => {
    const most = renderer.current?.mostPixels ?? Number.POSITIVE_INFINITY;
    if (Math.max(control.width, control.height, trial.width, trial.height) > most) {
      setTrouble(`This graphics processor shows pictures of at most ${most} pixels a side.`);
      return;
    }
    renderer.current?.load(0, control);
    renderer.current?.load(1, trial);
  }, [control, trial, lost]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new renderer needs its view transform again
  useEffect(() => renderer.current?.transform(transform), [transform, lost]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new renderer needs its map again
  useEffect(() => renderer.current?.map(map), [map, lost]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: pictures and renderer are drawn anew when they change
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const frame = requestAnimationFrame(() => {
      const width = Math.max(1, Math.round(pane.width * devicePixelRatio));
      const height = Math.max(1, Math.round(pane.height * devicePixelRatio));
      if (element.width !== width || element.height !== height) Object.assign(element, { width, height });
      renderer.current?.draw({
        mode: state.mode,
        view: state.view,
        line: state.line,
        exposure: state.exposure,
        range: differenceRange(state.exposure),
        surround: SURROUNDS[state.surround]?.value ?? SURROUNDS[0].value,
      });
      element.dataset.drawn = String(Number(element.dataset.drawn ?? 0) + 1);
    });
    return () => cancelAnimationFrame(frame);
  }, [state, pane, control, trial, transform, map, lost]);

  return (
    <>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" data-part="picture" />
      {trouble ? (
        <p role="alert" className="absolute inset-x-8 top-8 bg-white p-3">
          {trouble} The figures beside it are not affected.
        </p>
      ) : null}
    </>
  );
}
