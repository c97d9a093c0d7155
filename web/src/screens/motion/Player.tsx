import { useEffect, useRef, useState } from "react";
import { useRemembered } from "../../parts/remembered";
import { SideName } from "../../parts/Side";
import { SPEEDS, type usePlaying } from "./usePlaying";

const GAINS = [1, 2, 4, 8, 16, 32];

type Playing = ReturnType<typeof usePlaying>;

/** Control and trial in step, divided by a line that can be moved while they play, or their difference. */
export function Player(props: {
  size: [number, number];
  control: ImageBitmap | undefined;
  trial: ImageBitmap | undefined;
  playing: Playing;
  frame: number;
  /** How many of the pictures are there. */
  ready: string;
}) {
  const { playing, control, trial } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const [line, setLine] = useState(0.5);
  const [shows, setShows] = useRemembered<"line" | "difference">("motion.shows", "line");
  const [gain, setGain] = useRemembered("motion.gain", 4);
  const differing = shows === "difference" && control !== undefined && trial !== undefined;
  const [width, height] = props.size;
  useEffect(() => {
    const drawing = canvas.current?.getContext("2d");
    if (!drawing) return;
    const across = Math.round(line * width);
    drawing.globalCompositeOperation = "source-over";
    drawing.fillStyle = "rgb(28, 28, 28)";
    drawing.fillRect(0, 0, width, height);
    if (control) drawing.drawImage(control, 0, 0, width, height);
    if (trial && differing) {
      drawing.globalCompositeOperation = "difference";
      drawing.drawImage(trial, 0, 0, width, height);
      drawing.globalCompositeOperation = "lighter";
      for (let doubled = 1; doubled < gain; doubled *= 2)
        drawing.drawImage(drawing.canvas, 0, 0, width, height);
    } else if (trial) {
      drawing.save();
      drawing.beginPath();
      drawing.rect(control ? across : 0, 0, width, height);
      drawing.clip();
      drawing.drawImage(trial, 0, 0, width, height);
      drawing.restore();
    }
    canvas.current?.setAttribute("data-shown", `${props.frame}`);
  }, [control, trial, differing, gain, line, width, height, props.frame]);
  usePlayerKeys(playing);
  const move = (event: React.PointerEvent<HTMLCanvasElement>) => {
    if (event.buttons !== 1) return;
    const box = event.currentTarget.getBoundingClientRect();
    setLine(Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1));
  };
  return (
    <div className="w-full">
      <div className="relative bg-[rgb(28,28,28)]">
        <canvas
          ref={canvas}
          width={width}
          height={height}
          className="block w-full touch-none [image-rendering:pixelated]"
          role="img"
          aria-label={`Frame ${props.frame}, ${differing ? "the difference of control and trial" : "control and trial divided by a line"}`}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            move(event);
          }}
          onPointerMove={move}
        />
        {control && trial && !differing ? (
          <span
            aria-hidden="true"
            className="pointer-events-none absolute inset-y-0 w-px bg-white shadow-[0_0_0_1px_black]"
            style={{ left: `${line * 100}%` }}
          />
        ) : null}
      </div>
      <div className="mt-1 flex items-center justify-between text-sm">
        {control ? <SideName side="control" /> : <span />}
        <span className="text-soft">{props.ready}</span>
        {trial ? <SideName side="trial" /> : <span />}
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-2 text-sm">
        <button
          type="button"
          className="act"
          onClick={() => playing.step(-1)}
          aria-label="Frame before, left arrow"
        >
          ←
        </button>
        <button
          type="button"
          className="act w-20"
          data-kind="main"
          onClick={() => playing.setPlaying(!playing.playing)}
        >
          {playing.playing ? "Stop" : "Play"}
        </button>
        <button
          type="button"
          className="act"
          onClick={() => playing.step(1)}
          aria-label="Next frame, right arrow"
        >
          →
        </button>
        <span className="w-20 text-center" data-part="frame">
          frame {props.frame}
        </span>
        <label className="flex items-center gap-1.5">
          <span className="sr-only">Frames a second</span>
          <select
            className="border border-edge bg-field py-0.5"
            value={playing.speed}
            onChange={(event) => playing.setSpeed(Number(event.target.value))}
          >
            {SPEEDS.map((each) => (
              <option key={each} value={each}>
                {each} a second
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={playing.loop}
            onChange={(event) => playing.setLoop(event.target.checked)}
          />
          Loop
        </label>
        <select
          className="border border-edge bg-field py-0.5"
          aria-label="Shows"
          value={shows}
          onChange={(event) => setShows(event.target.value as "line" | "difference")}
        >
          <option value="line">divided by a line</option>
          <option value="difference">their difference</option>
        </select>
        {shows === "difference" ? (
          <label className="flex items-center gap-1.5">
            Times
            <select
              className="border border-edge bg-field py-0.5"
              value={gain}
              onChange={(event) => setGain(Number(event.target.value))}
            >
              {GAINS.map((each) => (
                <option key={each}>{each}</option>
              ))}
            </select>
          </label>
        ) : (
          <label className="flex flex-1 items-center gap-1.5">
            Line
            <input
              type="range"
              className="min-w-24 flex-1"
              min={0}
              max={1}
              step={0.01}
              value={line}
              onChange={(event) => setLine(Number(event.target.value))}
            />
          </label>
        )}
      </div>
    </div>
  );
}

/** Space plays and stops, the arrows step; not while something is typed or chosen. */
function usePlayerKeys(playing: Playing) {
  const now = useRef(playing);
  now.current = playing;
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const on = event.target as HTMLElement;
      if (/^(INPUT|SELECT|TEXTAREA|BUTTON|A)$/.test(on.tagName) || event.ctrlKey || event.metaKey) return;
      if (event.key === " ") now.current.setPlaying(!now.current.playing);
      else if (event.key === "ArrowLeft") now.current.step(-1);
      else if (event.key === "ArrowRight") now.current.step(1);
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}
