import type { Schema } from "../../api/client";
import { optionTitle } from "../../parts/format";

type Table = Schema["MeasureTable"];

/** What the table says first: which option is cleanest on the whole, or that none can be told to be. */
export function sentenceOf(table: Table): string {
  const { rows } = table;
  const waiting = rows.filter((row) => row.cells.noise?.value == null).length;
  if (rows.length === 0 || waiting === rows.length)
    return "Nothing is measured yet; the first figures come with the first twins.";
  const old = rows.filter((row) => Object.values(row.cells).some((cell) => cell.out_of_date)).length;
  const more = old > 0 ? ` ${old} of ${rows.length} rows are out of date and will be measured again.` : "";
  const zones = new Set(rows.map((row) => row.zone));
  const told = zones.has("whole") ? rows.filter((row) => row.zone === "whole") : rows;
  const where = zones.size > 1 || zones.has("whole") ? "over the whole picture" : `in ${rows[0]?.zone}`;
  const best = told.filter((row) => row.cells.noise?.standing === "best");
  const ties = told.filter((row) => row.cells.noise?.standing === "tie");
  const [first] = best;
  if (best.length === 1 && first) return `${capital(titleOf(first))} has the least noise ${where}.${more}`;
  if (best.length > 1) return `At each place another option has the least noise.${more}`;
  if (ties.length > 1)
    return `${ties.length} options share the least noise ${where}: no difference between them.${more}`;
  return `No option can be told to have the least noise ${where}.${more}`;
}

function capital(words: string): string {
  return words.slice(0, 1).toUpperCase() + words.slice(1);
}

/** An option as a row calls it. */
export function titleOf(row: Schema["MeasureRow"]): string {
  return optionTitle(row.title);
}

/** Where a cell leads: the picture at that zone with the map that shows the measure. */
export function addressOf(row: Schema["MeasureRow"], kind: Schema["MeasureKind"]): string {
  const asked = new URLSearchParams({ map: kind.layer });
  if (row.zone !== "whole") asked.set("zone", row.zone);
  return `/pairs/${row.pair}?${asked.toString()}`;
}
