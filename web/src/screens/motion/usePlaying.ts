import { useEffect, useRef, useState } from "react";

export const SPEEDS = [6, 12, 24, 30] as const;

/** Which frame is shown, and the acts that move it: play, stop, step, loop, speed. */
export function usePlaying(count: number) {
  const [index, setIndex] = useState(0);
  const [playing, setPlaying] = useState(false);
  const [speed, setSpeed] = useState(24);
  const [loop, setLoop] = useState(true);
  const shown = Math.min(index, Math.max(count - 1, 0));
  const now = useRef(shown);
  now.current = shown;
  const step = (by: number) => {
    setPlaying(false);
    setIndex((now.current + by + count) % Math.max(count, 1));
  };
  useEffect(() => {
    if (!playing || count < 2) return;
    const began = performance.now();
    const first = now.current;
    let asked = 0;
    const tick = (time: number) => {
      // by the clock and not by counting: a slow drawing skips frames, and the motion keeps its speed
      const on = first + Math.floor(((time - began) / 1000) * speed);
      if (!loop && on >= count - 1) {
        setIndex(count - 1);
        setPlaying(false);
        return;
      }
      setIndex(on % count);
      asked = requestAnimationFrame(tick);
    };
    asked = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(asked);
  }, [playing, count, speed, loop]);
  return { shown, setIndex, playing, setPlaying, speed, setSpeed, loop, setLoop, step };
}
