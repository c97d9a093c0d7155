import { useEffect, useMemo, useState } from "react";
import type { Schema } from "../../api/client";
import { Loading } from "../../parts/Notice";
import { actFor, type ViewerAct } from "../../viewer/keys";
import { Stage } from "../../viewer/Stage";
import { atBox } from "../../viewer/state";
import { useFrame } from "../../viewer/useFrame";
import { usePyramids } from "../../viewer/usePyramids";
import { useTransform } from "../../viewer/useTransform";
import { useViewer } from "../../viewer/useViewer";
import { digestsOf, resolved, type Viewed } from "../../viewer/viewed";
import type { Place } from "../../viewer/viewport";

const NOWHERE: Place = { left: 0, top: 0, width: 0, height: 0 };
const NONE = { state: "none" } as const;
/** What may be done while judging blind: nothing that tells which is which, or measures. */
const ALLOWED: readonly ViewerAct["do"][] = [
  "exchange",
  "exposure",
  "exposure reset",
  "lift",
  "soft",
  "fit",
  "zoom",
  "zoom by",
  "pan",
  "surround",
];

/** The two pictures of a round, next to each other or in each other's place. */
export function BlindStage({ round, transform: name }: { round: Schema["BlindRound"]; transform: string }) {
  const viewed = useMemo(
    (): Viewed[] =>
      (["left", "right"] as const).map((place) => ({
        key: place,
        title: place === "left" ? "Left" : "Right",
        side: null,
        picture: round[place],
        passes: {},
        note: "",
      })),
    [round],
  );
  const [place, setPlace] = useState<Place>(NOWHERE);
  const transform = useTransform(name);
  const pyramids = usePyramids(digestsOf(viewed, "", ""));
  const pictures = useMemo(() => resolved(viewed, pyramids, "", ""), [viewed, pyramids]);
  const { last: size } = useFrame(pictures);
  const { state, setState, act, know } = useViewer("blind", {
    mode: "side by side",
    loupe: false,
    scopes: false,
    labels: true,
  });
  know({ frame: size, window: place, pictures: 2, layers: [], passes: [], zones: [], places: [] });

  const there = place.width > 0 && size.width > 1;
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new round moves the view, not each change of the window
  useEffect(() => {
    if (!there) return;
    setState((now) =>
      round.box
        ? atBox(now, round.box, { frame: size, window: place, pictures: 2 })
        : { ...now, fitted: true },
    );
  }, [round.number, there]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "n") return act({ do: "mode", mode: "side by side" });
      const what = actFor(event);
      if (!what || !ALLOWED.includes(what.do)) return;
      event.preventDefault();
      act(what);
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, [act]);

  if (transform.state === "loading" || size.width === 1)
    return (
      <div className="flex-1">
        <Loading what="pictures" />
      </div>
    );
  return (
    <>
      <div className="flex min-h-0 flex-1 flex-col">
        <Stage
          pictures={pictures}
          frame={size}
          place={place}
          onPlace={setPlace}
          state={state}
          change={setState}
          act={act}
          transform={transform}
          layer={NONE}
          pins={[]}
          chosenPin={null}
          onChoosePin={() => undefined}
          onPointed={() => undefined}
          onDisplayed={() => undefined}
        />
      </div>
      <p className="shrink-0 border-line border-t px-3.5 py-1 text-soft text-sm">
        N next to each other, X one in the other's place, 0 whole picture, 1 pixel by pixel, 8 eight times, E
        and W exposure, I shadows, B blended. The wheel zooms, dragging moves both.
      </p>
    </>
  );
}
