import { SideName } from "../parts/Side";
import { cornersOf } from "./line";
import type { PanePlace } from "./panes";
import { PictureMark } from "./Readout";
import type { ViewerState } from "./state";
import type { Resolved } from "./viewed";

/** Which picture is which, each in a corner of its own pane or of its own half. */
export function Labels(props: {
  pictures: readonly Resolved[];
  panes: readonly PanePlace[];
  state: ViewerState;
}) {
  const { pictures, panes, state } = props;
  const corners = cornersOf(state.line);
  return (
    <div className="pointer-events-none text-sm">
      {panes.map((pane) => {
        if (pane.picture === null)
          return (["control", "trial"] as const).map((side) => (
            <span
              key={side}
              className={`pointer-events-auto absolute cursor-grab bg-field/98 px-1.5 ${corners[side]}`}
              data-label={side}
              draggable
              data-picture={shownOf(
                pictures.find((each) => each.side === side),
                state,
              )}
              onPointerDown={(event) => event.stopPropagation()}
              title="Drag it out to have its file"
            >
              <SideName side={side} />
            </span>
          ));
        const picture = pictures[pane.picture];
        if (!picture) return null;
        return (
          <span
            key={picture.key}
            className="pointer-events-auto absolute max-w-[calc(100%-1rem)] cursor-grab overflow-hidden text-ellipsis whitespace-nowrap bg-field/98 px-1.5"
            style={{ left: pane.left + 8, top: pane.top + 8, maxWidth: pane.width - 16 }}
            draggable
            data-picture={shownOf(picture, state)}
            onPointerDown={(event) => event.stopPropagation()}
            title="Drag it out to have its file"
            data-label={picture.side ?? picture.key}
          >
            {picture.side ? (
              <SideName side={picture.side} />
            ) : (
              <span className="inline-flex items-center gap-1.5 font-semibold">
                {pictures.length > 2 ? <PictureMark picture={picture} number={pane.picture + 1} /> : null}
                {picture.title}
              </span>
            )}
            {state.mode === "together" && picture.note ? (
              <span className="text-soft"> {picture.note}</span>
            ) : null}
          </span>
        );
      })}
    </div>
  );
}

/** The content hash of what is shown of a picture: itself, or the pass that is looked at. */
function shownOf(picture: Resolved | undefined, state: ViewerState): string | undefined {
  return state.pass ? picture?.passes[state.pass] : picture?.picture;
}
