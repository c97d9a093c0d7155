import type { Schema } from "../api/client";
import { isSigned } from "./layers";

type Stop = readonly [number, number, number];
export type Colours = readonly Stop[];

/** Seven colours of equal steps in lightness, from dark to pale, told apart by lightness alone. */
export const EVEN: Colours = [
  [0.106, 0.09, 0.165],
  [0.196, 0.165, 0.369],
  [0.161, 0.31, 0.494],
  [0.157, 0.459, 0.51],
  [0.306, 0.604, 0.486],
  [0.612, 0.729, 0.451],
  [0.945, 0.902, 0.627],
];

/** From purple through pale to green; neither hue is a side's. */
const SIGNED: Colours = [
  [0.286, 0.106, 0.412],
  [0.494, 0.333, 0.627],
  [0.722, 0.62, 0.812],
  [0.937, 0.933, 0.922],
  [0.6, 0.784, 0.624],
  [0.278, 0.565, 0.357],
  [0.047, 0.302, 0.165],
];

/** From the control's blue to the trial's orange, for what is told of both sides together. */
export const SIDES: Colours = [
  [0.05, 0.22, 0.45],
  [0.25, 0.42, 0.65],
  [0.5, 0.66, 0.86],
  [0.93, 0.93, 0.93],
  [0.93, 0.66, 0.42],
  [0.69, 0.4, 0.18],
  [0.45, 0.17, 0.0],
];

/** The colours a map is drawn in, from its low end to its high end. */
export function stopsOf(layer: Pick<Schema["Layer"], "scale" | "name">): Colours {
  if (layer.name === "difference") return SIDES;
  return isSigned(layer.scale) ? SIGNED : EVEN;
}

/** The same as a gradient for a legend. */
export function gradientOf(stops: Colours): string {
  const colours = stops.map((stop) => `rgb(${stop.map((part) => Math.round(255 * part)).join(" ")})`);
  return `linear-gradient(to right, ${colours.join(", ")})`;
}
