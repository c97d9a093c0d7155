/** What the run table and its rows share. */
import type { Schema } from "../../api/client";

export type Row = Schema["TableRow"];
export type Column = Schema["Column"];

export const ROW_HEIGHT = 46;
export const WIDTHS = { picture: 78, acts: 112, number: 73, text: 92, wide: 190 };

export function widthOfColumn(column: Column): number {
  return column.number
    ? WIDTHS.number
    : column.name === "title" || column.name === "found"
      ? WIDTHS.wide
      : WIDTHS.text;
}

export function named(row: Row | Schema["Run"]): string {
  if (row.warm_up) return "the warm-up";
  const title = row.title && row.title !== "as the control" ? ` ${row.title}` : "";
  if (row.purpose === "reference") return `the${title}, seed ${row.seed}`;
  return `${row.side}${title}, seed ${row.seed}`;
}
