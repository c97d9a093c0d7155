import type { Schema } from "../../api/client";
import { three } from "../../parts/format";

type Pair = Schema["PairSummary"];
type Ratio = Schema["Ratio"];

/** From how much the answer speaks while more is to come, and how well noise and time are known by now. */
export function soFarWords(progress: Schema["Progress"], pairs: Pair[]): string {
  const { done, whole } = rendersOf(progress);
  if (progress.state !== "running" || done === 0) return "";
  const known = [
    knownTo(
      "noise",
      pairs.map((pair) => pair.noise_ratio),
    ),
    knownTo(
      "time",
      pairs.map((pair) => pair.time_ratio),
    ),
  ].filter((words) => words !== "");
  const sure = known.length > 0 ? `; ${known.join(", ")}` : "";
  return `So far, from ${done} of ${whole} renders${sure}`;
}

/** How well they are known, as the half of the middle one's interval in percent of it; empty where none has one. */
function knownTo(what: string, ratios: (Ratio | null)[]): string {
  const halves = ratios.flatMap((ratio) => {
    const [low, high] = ratio?.interval ?? [];
    return ratio && low !== undefined && high !== undefined && ratio.value > 0
      ? [(100 * (high - low)) / 2 / ratio.value]
      : [];
  });
  const middle = halves.sort((a, b) => a - b)[Math.floor(halves.length / 2)];
  return middle === undefined
    ? ""
    : `${what} ${halves.length > 1 ? "typically " : ""}known to ±${three(middle)} %`;
}

/** How many renders are done, and of how many. */
export function rendersOf(progress: Schema["Progress"]): { done: number; whole: number } {
  const whole = Object.values(progress.counts).reduce((sum, count) => sum + count, 0);
  return { done: progress.counts.finished ?? 0, whole };
}
