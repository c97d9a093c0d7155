import type { Schema } from "../../api/client";

type Option = Schema["OptionSummary"];
export type Figure = Schema["OptionFigure"];
export type Column = "seconds" | "noise" | "visible_noise" | "visible_error";

export const COLUMNS: readonly { name: Column; title: string; unit: string }[] = [
  { name: "seconds", title: "Time", unit: "s" },
  { name: "noise", title: "Noise", unit: "%" },
  { name: "visible_noise", title: "Visible noise", unit: "ΔE" },
  { name: "visible_error", title: "Visible error", unit: "ΔE" },
];

export function figureOf(option: Option, column: Column): Figure | null {
  return option[column];
}

/** Whether a figure ranks among those of its column: noise does not where one picture is softer than another. */
export function ranks(option: Option, column: Column): boolean {
  return column !== "noise" || !option.why_not;
}

/** Options by a column, the least first, the unknown last either way; equal ones keep their order. */
export function ordered(options: readonly Option[], by: Column | "name", down: boolean): Option[] {
  const turn = down ? -1 : 1;
  return [...options].sort((a, b) => {
    if (by === "name") return turn * a.name.localeCompare(b.name, undefined, { numeric: true });
    const [first, second] = [figureOf(a, by)?.value, figureOf(b, by)?.value];
    if (first == null || second == null) return Number(first == null) - Number(second == null);
    return turn * (first - second);
  });
}

/** Both ends of a figure's interval; without one, the figure itself. */
export function ends(figure: Figure): [number, number] {
  const [low = figure.value, high = figure.value] = figure.interval ?? [];
  return [low, high];
}

/** Whether a figure is the least of all for sure, as little as the least for all that can be told, or neither. */
export function standing(figure: Figure, all: readonly Figure[]): "least" | "as little" | "other" {
  if (all.length < 2) return "other";
  const least = all.reduce((best, each) => (each.value < best.value ? each : best));
  if (figure.value > least.value) return ends(figure)[0] <= ends(least)[1] ? "as little" : "other";
  const others = all.filter((each) => each !== figure);
  return others.every((each) => ends(each)[0] > ends(figure)[1]) ? "least" : "as little";
}
