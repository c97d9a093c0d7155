import { three } from "../parts/format";
import { SideMark } from "../parts/Side";
import { ownPoint } from "./drawing";
import { readAs, type ShownLayer } from "./layers";
import type { Pyramid } from "./pyramid";
import { type Read, tileStore } from "./tiles";
import type { Resolved } from "./viewed";
import type { Point, Size } from "./viewport";

const WHY_NONE: Record<Exclude<Read["state"], "there">, string> = {
  invalid: "not valid here",
  outside: "nothing here",
  waiting: "coming",
  failed: "could not be had",
};

/** The values under the pointer for every picture shown: linear light, and as displayed. */
export function Readout({
  at,
  pictures,
  frame,
  map,
  displayed,
  shown,
}: {
  at: Point | null;
  pictures: readonly Resolved[];
  frame: Size;
  map: ShownLayer | null;
  displayed: ReadonlyMap<string, readonly number[]>;
  shown: string;
}) {
  const inside = at !== null && at.x >= 0 && at.y >= 0 && at.x < frame.width && at.y < frame.height;
  return (
    <div
      className="max-h-48 min-h-[4.6rem] shrink-0 overflow-auto border-line border-t px-3.5 py-1.5 text-sm"
      data-part="readout"
    >
      {inside ? (
        <>
          <p className="flex justify-between">
            <span>
              Pixel {Math.floor(at.x)}, {Math.floor(at.y)}
            </span>
            <span className="whitespace-nowrap text-soft text-xs">linear; displayed, of 255</span>
          </p>
          {pictures.map((each, place) =>
            each.pyramid ? (
              <Value
                key={each.key}
                picture={each}
                number={place + 1}
                read={tileStore.read(each.pyramid, ownPoint(each.pyramid, at, frame))}
                displayed={displayed.get(each.key)}
              />
            ) : null,
          )}
          {map ? <MapValue map={map} at={at} frame={frame} /> : null}
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

function Value(props: {
  picture: Resolved;
  number: number;
  read: Read;
  displayed: readonly number[] | undefined;
}) {
  const { picture, number, read, displayed } = props;
  return (
    <p
      className="grid grid-cols-[0.8rem_repeat(3,3.05rem)_1fr] items-center text-right"
      data-side={picture.side ?? picture.key}
      title={picture.title}
    >
      <PictureMark picture={picture} number={number} />
      {read.state === "there" ? (
        read.value.map((each, channel) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the channel is the place
          <span key={channel}>{three(each)}</span>
        ))
      ) : (
        <span className="col-span-3 text-left">{WHY_NONE[read.state]}</span>
      )}
      <span className="text-soft" data-part="displayed">
        {displayed && read.state === "there" ? displayed.join(" ") : ""}
      </span>
    </p>
  );
}

/** A side's mark, or the number of a picture that has no side. */
export function PictureMark({ picture, number }: { picture: Pick<Resolved, "side">; number: number }) {
  if (picture.side) return <SideMark side={picture.side} size={8} />;
  return (
    <span className="inline-flex h-3.5 w-3.5 items-center justify-center border border-soft text-[0.65rem] leading-none">
      {number}
    </span>
  );
}

function MapValue({ map, at, frame }: { map: ShownLayer; at: Point; frame: Size }) {
  const words = (pyramid: Pyramid | null, side: 0 | 1): string => {
    if (!pyramid) return "none";
    const own = ownPoint(pyramid, at, frame);
    if (map.layer.scale === "spots") {
      const spot = map.spots[side].find(
        (each) => each.x === Math.floor(own.x) && each.y === Math.floor(own.y),
      );
      return spot ? three(spot.value) : "none";
    }
    const read = tileStore.read(pyramid, own);
    return read.state === "there"
      ? three(readAs(map.layer.scale, read.value[0]))
      : read.state === "waiting"
        ? "coming"
        : "none";
  };
  const [control, trial] = [words(map.control, 0), words(map.trial, 1)];
  const one = map.control === map.trial || map.control?.digest === map.trial?.digest;
  return (
    <p className="whitespace-nowrap" data-part="map-value">
      {map.layer.title}: {one ? control : `${control} and ${trial}`} {map.layer.unit}
    </p>
  );
}
