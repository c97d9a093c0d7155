import type { Schema } from "../../api/client";
import { signed, three } from "../../parts/format";

export type Cell = Schema["ContactCell"];

const MOST = 1600;
const WHY_EMPTY: Record<Cell["state"], string> = {
  there: "",
  "to come": "still to come",
  "not rendered": "not rendered",
  "not planned": "not in the plan",
  "no such zone": "no such zone on this view",
};

/** Where the picture of a cell comes from: the part in its zone, or all of it, at no more than so many pixels across. */
export function addressOf(cell: Cell, transform: string, exposure: number, across: number): string {
  const asked = new URLSearchParams({ transform, exposure: String(exposure) });
  const [x, y, width, height] = cell.box ?? [];
  if (x !== undefined && y !== undefined && width !== undefined && height !== undefined) {
    asked.set("x", String(x));
    asked.set("y", String(y));
    asked.set("width", String(width));
    asked.set("height", String(height));
  }
  asked.set("most", String(Math.min(Math.max(Math.round(across), 16), MOST)));
  return `/api/pictures/${cell.picture}/shown/?${asked}`;
}

/** Width over height of what a cell shows. */
export function shapeOf(cell: Cell): number {
  const [, , width, height] = cell.box ?? [];
  return (width ?? cell.width) / Math.max(height ?? cell.height, 1) || 16 / 9;
}

/** The line below a cell. */
export function wordsOf(cell: Cell): string {
  if (!cell.picture) return WHY_EMPTY[cell.state];
  const seconds = cell.seconds == null ? "time not known" : `${three(cell.seconds)} s`;
  const basis = cell.basis === "cpu" ? " CPU" : "";
  if (cell.noise_percent == null) return `${seconds}${basis}, noise not measured`;
  return `${seconds}${basis}, noise ${three(cell.noise_percent)} %${cell.noise_method === "single" ? " (guess)" : ""}`;
}

/** What a cell is, for those who do not see it. */
export function nameOf(cell: Cell, row: string, column: string): string {
  return `${zoneTitle(row)}, ${zoneTitle(column)}: ${wordsOf(cell)}`;
}

export function zoneTitle(name: string): string {
  return name === "whole" ? "Whole picture" : name;
}

export function exposureWords(stops: number): string {
  return `${signed(stops, 1)} EV`;
}
