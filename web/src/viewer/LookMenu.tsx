import { SlidersHorizontal } from "lucide-react";
import { Popover } from "radix-ui";
import type { ReactNode } from "react";
import { Choice } from "../parts/Choice";
import type { ViewerAct } from "./keys";
import { CHANNELS, DIFFERENCES, type DifferenceKind } from "./modes";
import { MOST_LIFT, type ViewerState } from "./state";

const DIFFERENCE_TITLES: Record<DifferenceKind, string> = {
  signed: "Signed",
  absolute: "Its size only",
  "beyond noise": "Beyond noise",
};
const SWITCHES = [
  ["soft", "Blend enlarged pixels", { do: "soft" }],
  ["loupe", "Loupe", { do: "loupe" }],
  ["scopes", "Histogram and waveform", { do: "scopes" }],
  ["pins", "Pins", { do: "pins" }],
  ["labels", "Labels", { do: "labels" }],
] as const;

/** How the pictures are looked at, beyond what the bar holds. */
export function LookMenu(props: {
  state: ViewerState;
  change: (to: (now: ViewerState) => ViewerState) => void;
  act: (act: ViewerAct) => void;
  passes: readonly string[];
}) {
  const { state, change, act, passes } = props;
  const changed = state.lift > 0 || state.channel > 0 || state.pass !== "" || state.over !== "";
  return (
    <Popover.Root>
      <Popover.Trigger className="act !min-h-0 flex items-center gap-1.5" data-changed={changed}>
        <SlidersHorizontal size={15} aria-hidden="true" />
        Look{changed ? " (changed)" : ""}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          className="z-40 w-72 border border-edge bg-paper px-3.5 py-2.5 text-sm"
          aria-label="How the pictures are looked at"
        >
          <Row title="Shadows lifted">
            <input
              type="range"
              aria-label="Shadows lifted, stops"
              min={0}
              max={MOST_LIFT}
              step={0.5}
              value={state.lift}
              className="w-24 accent-ink"
              onChange={(event) => {
                const lift = Number(event.target.value);
                change((now) => ({ ...now, lift }));
              }}
            />
            <output className="w-14 text-right">{state.lift} stops</output>
          </Row>
          <Row title="Channel">
            <Choice
              silent
              label="Channel"
              value={String(state.channel)}
              choices={CHANNELS.map((title, place) => [String(place), title])}
              onChoose={(channel) => change((now) => ({ ...now, channel: Number(channel) }))}
            />
          </Row>
          <Row title="Shown">
            <Choice
              silent
              label="Picture or pass"
              value={state.pass}
              choices={[["", "the picture"], ...passes.map((name) => [name, `pass ${name}`] as const)]}
              onChoose={(pass) => change((now) => ({ ...now, pass }))}
            />
          </Row>
          <Row title="Multiplied by">
            <Choice
              silent
              label="Multiplied by"
              value={state.over}
              choices={[["", "nothing"], ...passes.map((name) => [name, `pass ${name}`] as const)]}
              onChoose={(over) => change((now) => ({ ...now, over }))}
            />
          </Row>
          {passes.length === 0 ? <p className="text-soft text-xs">These renders have no passes.</p> : null}
          <Row title="Difference">
            <Choice
              silent
              label="Kind of difference"
              value={state.difference}
              choices={DIFFERENCES.map((kind) => [kind, DIFFERENCE_TITLES[kind]])}
              onChoose={(difference) =>
                change((now) => ({ ...now, difference: difference as DifferenceKind }))
              }
            />
          </Row>
          <fieldset className="mt-2 border-line border-t pt-1.5">
            <legend className="sr-only">Aids</legend>
            {SWITCHES.map(([name, title, what]) => (
              <label key={name} className="flex items-center gap-2 py-0.5">
                <input
                  type="checkbox"
                  className="accent-ink"
                  checked={state[name]}
                  onChange={() => act(what)}
                />
                {title}
              </label>
            ))}
          </fieldset>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Row({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="flex items-center justify-between gap-2 py-0.5">
      <span>{title}</span>
      <span className="flex items-center gap-1">{children}</span>
    </div>
  );
}
