import type { Schema } from "../../api/client";
import { three } from "../../parts/format";

type Figure = Pick<Schema["Figure"], "value">;
type Ratio = Pick<Schema["Ratio"], "value" | "spread">;

/** Shares of the picture: less is not told, more is nearly all. */
const [LEAST_TOLD, NEARLY_ALL] = [0.05, 0.95];
const FAR_APART = Math.log(1.05);

/** In how much of the picture the trial is cleaner and in how much noisier, in words: as much as chance lets tell; empty for none. */
export function placesWords(ratio: Ratio): string {
  const { cleaner = 0, noisier = 0 } = ratio.spread ?? {};
  if (cleaner > NEARLY_ALL) return "Cleaner nearly everywhere in the picture.";
  if (noisier > NEARLY_ALL) return "Noisier nearly everywhere in the picture.";
  const percent = (share: number) => `at least ${Math.floor(100 * share)} %`;
  const told = [
    cleaner < LEAST_TOLD ? "" : `cleaner in ${percent(cleaner)} of the picture`,
    noisier < LEAST_TOLD ? "" : `noisier in ${percent(noisier)} of the picture`,
  ].filter(Boolean);
  return told.length ? `It is ${told.join(" and ")}.` : "";
}

/** Why a ratio is not that of the two figures beside it, where they are far apart. */
export function quotientWords(control: Figure | null, trial: Figure | null, ratio: Ratio): string {
  const quotient = (trial?.value ?? 0) / (control?.value ?? 0);
  if (!(quotient > 0 && quotient < Number.POSITIVE_INFINITY)) return "";
  if (Math.abs(Math.log(quotient / ratio.value)) < FAR_APART) return "";
  return "The ratio compares the same places one by one; it is not that of the two typical places.";
}

/** What must be known of a ratio besides its figure; empty where nothing must. */
export function ratioWords(control: Figure | null, trial: Figure | null, ratio: Ratio): string {
  return [placesWords(ratio), quotientWords(control, trial, ratio)].filter(Boolean).join(" ");
}

/** Whether there is a difference, the part that changed most, and how many cells of the table differ by themselves. */
export function differenceWords(row: Schema["Difference"]): string {
  const least = `a change of ${three(row.smallest_seen_percent)} % in one place would have been seen`;
  if (!row.found) return `No difference found; ${least}.`;
  const cell = row.zones.reduce<Part | undefined>(larger, undefined);
  const [island] = row.islands ?? [];
  const spot = island && (!cell || larger(cell, island) === island) ? island : undefined;
  if (!cell && !spot)
    return `There is a slight difference over the whole (z ${three(row.overall_z)}); no place stands out.`;
  const told = spot
    ? [`most in a part of ${spot.box[2]} × ${spot.box[3]} pixels, ${changed(spot, row)}`]
    : [];
  if (cell) {
    const cells = row.zones.length === 1 ? "one place" : `${row.zones.length} places`;
    const differ = row.zones.length === 1 ? "differs by itself" : "differ by themselves";
    told.push(`${cells} of the table ${differ}, ${spot ? "by up to" : "most by"} ${changed(cell, row)}`);
  }
  return `There is a difference: ${told.join("; ")}.`;
}

type Part = { box: number[]; stops: number };

function larger(one: Part | undefined, other: Part): Part {
  return one && Math.abs(one.stops) >= Math.abs(other.stops) ? one : other;
}

function changed(part: Part, row: Schema["Difference"]): string {
  const specks = row.specks?.some((box) => box.join() === part.box.join());
  const way = part.stops > 0 ? "brighter" : "darker";
  return `${three(Math.abs(part.stops))} stops ${way}${specks ? ", all of it in bright specks" : ""}`;
}
