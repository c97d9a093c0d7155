import { three } from "../parts/format";
import { SideMark } from "../parts/Side";
import { layerValueAt, type ShownLayer } from "./layers";
import { type Pixels, valueAt } from "./pixels";
import type { Point } from "./viewport";

/** The linear values under the pointer, for both sides. */
export function Readout({
  at,
  control,
  trial,
  map,
  shown,
}: {
  at: Point | null;
  control: Pixels;
  trial: Pixels;
  map: ShownLayer | null;
  shown: string;
}) {
  const inside = at !== null && at.x >= 0 && at.y >= 0 && at.x < control.width && at.y < control.height;
  const own = inTrial(at, control, trial);
  return (
    <div className="min-h-[4.6rem] shrink-0 border-line border-t px-3.5 py-1.5 text-sm" data-part="readout">
      {inside ? (
        <>
          <p>
            Pixel {Math.floor(at.x)}, {Math.floor(at.y)}{" "}
            <span className="text-soft">linear red, green, blue</span>
          </p>
          <Value side="control" value={valueAt(control, at.x, at.y)} />
          <Value side="trial" value={valueAt(trial, own.x, own.y)} />
          {map ? <MapValue map={map} at={at} own={own} /> : null}
        </>
      ) : (
        <p className="text-soft">
          Point at the picture to read it.
          <span className="block text-xs">{shown}</span>
        </p>
      )}
    </div>
  );
}

/** The same place in a trial of another size. */
function inTrial(at: Point | null, control: Pixels, trial: Pixels): Point {
  return {
    x: ((at?.x ?? 0) * trial.width) / control.width,
    y: ((at?.y ?? 0) * trial.height) / control.height,
  };
}

function MapValue({ map, at, own }: { map: ShownLayer; at: Point; own: Point }) {
  const values = [layerValueAt(map.control, at.x, at.y), layerValueAt(map.trial, own.x, own.y)];
  const words = values.map((value) => (value === null ? "none" : three(value)));
  const both = map.control === map.trial ? words[0] : `${words[0]} and ${words[1]}`;
  return (
    <p className="whitespace-nowrap" data-part="map-value">
      {map.layer.title}: {both} {map.layer.unit}
    </p>
  );
}

function Value({ side, value }: { side: "control" | "trial"; value: [number, number, number] | null }) {
  return (
    <p className="grid grid-cols-[1rem_repeat(3,4rem)] items-center text-right" data-side={side}>
      <SideMark side={side} size={8} />
      {value ? (
        value.map((each, channel) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the channel is the place
          <span key={channel}>{three(each)}</span>
        ))
      ) : (
        <span className="col-span-3 text-left">not valid here</span>
      )}
    </p>
  );
}
