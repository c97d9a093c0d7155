import type { Mode } from "./modes";

/** Everything the viewer does by key. */
export type ViewerAct =
  | { do: "mode"; mode: Mode }
  | { do: "exchange" }
  | { do: "difference kind" }
  | { do: "exposure"; by: number }
  | { do: "exposure reset" }
  | { do: "lift" }
  | { do: "channel" }
  | { do: "pass" }
  | { do: "soft" }
  | { do: "fit" }
  | { do: "zoom"; to: number }
  | { do: "zoom by"; factor: number }
  | { do: "pan"; dx: number; dy: number }
  | { do: "zone"; by: 1 | -1 }
  | { do: "place"; by: 1 | -1 }
  | { do: "line"; by: number }
  | { do: "turn line"; by: number }
  | { do: "line reset" }
  | { do: "surround" }
  | { do: "labels" }
  | { do: "map" }
  | { do: "next map"; by: 1 | -1 }
  | { do: "loupe" }
  | { do: "scopes" }
  | { do: "full" }
  | { do: "pin" }
  | { do: "pins" }
  | { do: "verdict" }
  | { do: "keys" };

export type KeyRow = {
  readonly key: string;
  readonly shown: string;
  readonly words: string;
  readonly act: ViewerAct;
};

const row = (key: string, words: string, act: ViewerAct, shown = key.toUpperCase()): KeyRow => ({
  key,
  shown,
  words,
  act,
});

/** All keys, in the groups that the list shows them in. */
export const KEY_GROUPS: readonly { readonly title: string; readonly rows: readonly KeyRow[] }[] = [
  {
    title: "Control and trial",
    rows: [
      row("x", "Exchange the two in place", { do: "exchange" }),
      row("d", "Divided by a line", { do: "mode", mode: "divided" }),
      row("n", "Side by side", { do: "mode", mode: "side by side" }),
      row("c", "Control only", { do: "mode", mode: "control" }),
      row("t", "Trial only", { do: "mode", mode: "trial" }),
      row("f", "Difference", { do: "mode", mode: "difference" }),
      row("a", "Next kind of difference", { do: "difference kind" }),
      row("g", "All chosen pictures together", { do: "mode", mode: "together" }),
      row("Enter", "Say which to use", { do: "verdict" }, "↵"),
    ],
  },
  {
    title: "The line",
    rows: [
      row(",", "Move it toward the control", { do: "line", by: -0.02 }),
      row(".", "Move it toward the trial", { do: "line", by: 0.02 }),
      row("[", "Turn it to the left", { do: "turn line", by: -15 }),
      row("]", "Turn it to the right", { do: "turn line", by: 15 }),
      row("u", "Upright in the middle", { do: "line reset" }),
    ],
  },
  {
    title: "Where",
    rows: [
      row("ArrowUp", "Pan up", { do: "pan", dx: 0, dy: 60 }, "↑"),
      row("ArrowDown", "Pan down", { do: "pan", dx: 0, dy: -60 }, "↓"),
      row("ArrowLeft", "Pan left", { do: "pan", dx: 60, dy: 0 }, "←"),
      row("ArrowRight", "Pan right", { do: "pan", dx: -60, dy: 0 }, "→"),
      row("+", "Zoom in", { do: "zoom by", factor: 2 }),
      row("-", "Zoom out", { do: "zoom by", factor: 0.5 }),
      row("0", "Whole picture", { do: "fit" }),
      row("1", "One picture pixel on one screen pixel", { do: "zoom", to: 1 }),
      row("8", "Eight times", { do: "zoom", to: 8 }),
      row(">", "Next place where they differ most", { do: "place", by: 1 }),
      row("<", "Such a place before", { do: "place", by: -1 }),
      row("PageDown", "Next zone", { do: "zone", by: 1 }, "Pg↓"),
      row("PageUp", "Zone before", { do: "zone", by: -1 }, "Pg↑"),
    ],
  },
  {
    title: "Light",
    rows: [
      row("e", "Half a stop brighter", { do: "exposure", by: 0.5 }),
      row("w", "Half a stop darker", { do: "exposure", by: -0.5 }),
      row("r", "Exposure as rendered", { do: "exposure reset" }),
      row("i", "Lift the shadows by a stop; after five, none", { do: "lift" }),
      row("y", "Next channel: red, green, blue, luminance, all", { do: "channel" }),
      row("v", "Next pass", { do: "pass" }),
      row("b", "Blend enlarged pixels, or keep them square", { do: "soft" }),
      row("s", "Next surround", { do: "surround" }),
    ],
  },
  {
    title: "Aids",
    rows: [
      row("m", "Map on or off", { do: "map" }),
      row("k", "Next map", { do: "next map", by: 1 }),
      row("j", "Map before", { do: "next map", by: -1 }),
      row("o", "Loupe on or off", { do: "loupe" }),
      row("h", "Histogram and waveform on or off", { do: "scopes" }),
      row("p", "Put a pin where the pointer is", { do: "pin" }),
      row("q", "Show or hide pins", { do: "pins" }),
      row("l", "Labels on or off", { do: "labels" }),
      row("z", "Full window, and back", { do: "full" }),
      row("?", "This list", { do: "keys" }),
    ],
  },
];

export const KEYS: readonly KeyRow[] = KEY_GROUPS.flatMap((group) => group.rows);

/** The act for a key press, or null; keys with Ctrl, Alt or Meta belong to the browser. */
export function actFor(event: {
  key: string;
  ctrlKey: boolean;
  altKey: boolean;
  metaKey: boolean;
}): ViewerAct | null {
  if (event.ctrlKey || event.altKey || event.metaKey) return null;
  const pressed = event.key === "=" ? "+" : event.key.length === 1 ? event.key.toLowerCase() : event.key;
  return KEYS.find((each) => each.key === pressed)?.act ?? null;
}
