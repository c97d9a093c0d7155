import type { Schema } from "../../api/client";
import { signed, three } from "../../parts/format";

export type Decision = Schema["Decision"];
export type Use = Schema["DecidedUse"];
export type Option = Schema["Candidate"];
export type LimitKind = Schema["LimitKind"];

/** What counts how much, in words: the ends and the middle of the weight. */
export const WEIGHTS = [
  { value: 0, title: "the fastest" },
  { value: 2 / 3, title: "the best trade" },
  { value: 1, title: "the cleanest" },
] as const;

/** A limit's figure: shifts with their sign, all else by three digits. */
export function figureWords(kind: LimitKind, value: number): string {
  if (kind.name !== "stops") return three(value);
  return signed(value, 3);
}

/** The name of an option by its key; nothing for none. */
export function nameOf(decision: Decision, key: string): string {
  return decision.options.find((option) => option.key === key)?.name ?? "";
}

export function percent(share: number): string {
  return `${three(100 * share)} %`;
}

/** How firm the choice is: what a fifth more or less of a limit or of the weight would choose instead. */
export function firmness(decision: Decision, use: Use): string {
  if (!use.chosen) return "";
  const others = use.moved.filter((move) => move.changes);
  if (others.length === 0)
    return "The choice stays the same when any limit, or the weight of quality, moves by a fifth.";
  const said = others.map((move) => {
    const kind = decision.limit_kinds.find((each) => each.name === move.what);
    const what = kind ? kind.title.toLowerCase() : "the weight of quality";
    const then = move.chosen ? `it would be ${nameOf(decision, move.chosen)}` : "no option would be left";
    return `with ${what} at ${three(move.after)} instead of ${three(move.before)} ${then}`;
  });
  return `Not firm: ${said.join("; ")}.`;
}

/** How many options keep all limits, were this one at a value; what lies within an interval of it is a doubt, not out. */
export function keeping(options: readonly Option[], use: Use, limit: string, value: number): number {
  return options.filter((option) => {
    const figure = option.figures[limit];
    const others = use.standings[option.key]?.checked.filter((row) => row.limit !== limit) ?? [];
    const low = figure?.interval?.[0] ?? figure?.value;
    return (
      low !== undefined &&
      low <= value &&
      !others.some((row) => row.state === "breaks" || row.state === "not known")
    );
  }).length;
}
