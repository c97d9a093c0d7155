import { three } from "../parts/format";
import { SideMark } from "../parts/Side";
import { type Pixels, valueAt } from "./pixels";
import type { Point } from "./viewport";

/** The linear values under the pointer, for both sides. */
export function Readout({ at, control, trial }: { at: Point | null; control: Pixels; trial: Pixels }) {
  const inside =
    at !== null &&
    at.x >= 0 &&
    at.y >= 0 &&
    at.x < Math.max(control.width, trial.width) &&
    at.y < Math.max(control.height, trial.height);
  if (!inside) return <span className="text-soft">Point at the picture to read its linear values.</span>;
  return (
    <span className="flex gap-4" data-part="readout">
      <span>
        {Math.floor(at.x)}, {Math.floor(at.y)}
      </span>
      <Value side="control" value={valueAt(control, at.x, at.y)} />
      <Value side="trial" value={valueAt(trial, at.x, at.y)} />
    </span>
  );
}

function Value({ side, value }: { side: "control" | "trial"; value: [number, number, number] | null }) {
  return (
    <span className="inline-flex items-center gap-1">
      <SideMark side={side} size={8} />
      {value ? value.map(three).join("  ") : "not valid here"}
    </span>
  );
}
