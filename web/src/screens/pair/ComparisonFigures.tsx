import type { Schema } from "../../api/client";
import { three } from "../../parts/format";
import { differenceWords } from "./figureWords";

type Comparison = Schema["Comparison"];

/** Is there a difference at all, how the look shifts, and whether anyone would see it; or why that is not told. */
export function ComparisonFigures({ comparison }: { comparison: Comparison | null }) {
  return (
    <section aria-label="Difference" className="mt-3 text-sm">
      <h2 className="font-semibold text-base">Trial against control</h2>
      {comparison ? <Told comparison={comparison} /> : <p className="text-soft">Not compared yet.</p>}
    </section>
  );
}

function Told({ comparison }: { comparison: Comparison }) {
  const { difference, look, visible, refused } = comparison;
  const reasons = [...new Set(Object.values(refused))];
  return (
    <dl className="[&>dd]:mb-1 [&>dt]:text-soft">
      {difference ? (
        <>
          <dt>Beyond noise</dt>
          <dd data-figure="difference">{differenceWords(difference)}</dd>
        </>
      ) : null}
      {look ? (
        <>
          <dt>Look</dt>
          <dd data-figure="look">{lookWords(look)}</dd>
        </>
      ) : null}
      {visible ? (
        <>
          <dt>Seen at {visible.pixels_per_degree} pixels per degree</dt>
          <dd data-figure="visible">{visibleWords(visible)}</dd>
        </>
      ) : null}
      {reasons.length > 0 ? (
        <>
          <dt>Refused</dt>
          <dd className="text-fault">{reasons.join("; ")}</dd>
        </>
      ) : null}
    </dl>
  );
}

function lookWords(row: Schema["LookShift"]): string {
  const clamp =
    row.clamped_at == null ? "" : ` Values pile up at ${three(row.clamped_at)}: it is clamped there.`;
  const lost = Math.abs(row.light_lost_percent) < 0.05 ? "" : ` ${lightWords(row.light_lost_percent)}`;
  return `${signed(row.stops)} stops, colour ${three(row.delta_e_after_gain)} ΔE00 beside that.${lost}${clamp}`;
}

function lightWords(lost: number): string {
  return lost > 0 ? `${three(lost)} % of the light is lost.` : `There is ${three(-lost)} % more light.`;
}

function visibleWords(row: Schema["Visible"]): string {
  const own =
    row.own_noise_mean == null ? "" : `; the control's own noise alone gives ${three(row.own_noise_mean)}`;
  return `${three(row.mean)} ΔE on average${own}.`;
}

function signed(value: number): string {
  return `${value < 0 ? "−" : "+"}${three(Math.abs(value))}`;
}
