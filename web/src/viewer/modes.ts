/** The ways in which the viewer shows a pair. */
export const MODES = ["divided", "side by side", "control", "trial", "difference", "together"] as const;
export type Mode = (typeof MODES)[number];
export const DIFFERENCES = ["signed", "absolute", "beyond noise"] as const;
export type DifferenceKind = (typeof DIFFERENCES)[number];
export const CHANNELS = ["All channels", "Red", "Green", "Blue", "Luminance"] as const;

export const MODE_TITLES: Record<Mode, string> = {
  divided: "Divided",
  "side by side": "Side by side",
  control: "Control",
  trial: "Trial",
  difference: "Difference",
  together: "Together",
};
