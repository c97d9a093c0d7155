import type { Schema } from "../../api/client";

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
