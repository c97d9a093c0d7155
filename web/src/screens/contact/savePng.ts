import type { Schema } from "../../api/client";
import { addressOf, type Cell, shapeOf, wordsOf, zoneTitle } from "./cells";

const FONT = '"Source Sans 3 Variable", sans-serif';
const ACROSS = 320;
const GAP = 14;
const HEADER = 190;
const LINE = 20;
const TOP = 74;
const MOST_SIDE = 16_000;

/** Draws the whole sheet as one picture, with its words, and hands it over as a file. */
export async function savePng(sheet: Schema["ContactSheet"], title: string, exposure: number): Promise<void> {
  const judged = sheet.references.length > 0;
  const titles = [...(judged ? ["Reference"] : []), ...sheet.columns.values.map(zoneTitle)];
  const own = sheet.cells.map((cells, row) => [...(judged ? [sheet.references[row] ?? null] : []), ...cells]);
  const above = sheet.references_above.length ? [sheet.references_above] : [];
  const rows: (Cell | null)[][] = [...above, ...own];
  const names = [...above.map(() => "Reference"), ...sheet.rows.values.map(zoneTitle)];
  const heights = rows.map((cells) =>
    Math.max(...cells.map((cell) => (cell ? Math.round(ACROSS / shapeOf(cell)) : 0))),
  );
  const width = HEADER + titles.length * (ACROSS + GAP) + GAP;
  const height = TOP + heights.reduce((sum, each) => sum + each + LINE + GAP, 0) + GAP;
  const scale = Math.min(1, MOST_SIDE / Math.max(width, height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(width * scale);
  canvas.height = Math.round(height * scale);
  const drawing = canvas.getContext("2d");
  if (!drawing) return;
  await document.fonts.ready;
  drawing.scale(scale, scale);
  drawing.imageSmoothingEnabled = false;
  drawing.fillStyle = "#fbfbf9";
  drawing.fillRect(0, 0, width, height);
  write(drawing, title, GAP, 26, width - 2 * GAP, `600 17px ${FONT}`);
  const seen = `Seen through ${sheet.view_transform || "the default view transform"}, seed ${sheet.seed ?? "none"}`;
  write(drawing, seen, GAP, 46, width - 2 * GAP, `14px ${FONT}`);
  for (const [column, text] of titles.entries())
    write(drawing, text, HEADER + column * (ACROSS + GAP), TOP - 8, ACROSS, `600 15px ${FONT}`);
  let top = TOP;
  for (const [row, cells] of rows.entries()) {
    const high = heights[row] ?? 0;
    write(drawing, names[row] ?? "", GAP, top + 16, HEADER - 2 * GAP, `600 15px ${FONT}`);
    const pictures = await Promise.all(cells.map((cell) => pictureOf(cell, sheet.view_transform, exposure)));
    for (const [column, cell] of cells.entries()) {
      const left = HEADER + column * (ACROSS + GAP);
      const picture = pictures[column];
      if (!cell) continue;
      const tall = Math.round(ACROSS / shapeOf(cell));
      if (picture) drawing.drawImage(picture, left, top, ACROSS, tall);
      const words = cell.option === null && cell.picture ? cell.title : wordsOf(cell);
      write(drawing, words, left, top + tall + 15, ACROSS, `14px ${FONT}`);
    }
    top += high + LINE + GAP;
  }
  const file = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/png"));
  if (file) handOver(file, "contact-sheet.png");
}

function write(
  drawing: CanvasRenderingContext2D,
  text: string,
  x: number,
  y: number,
  most: number,
  font: string,
): void {
  drawing.font = font;
  drawing.fillStyle = "#1c1e20";
  let shown = text;
  while (shown.length > 1 && drawing.measureText(shown).width > most)
    shown = `${shown.slice(0, -2).trimEnd()}…`;
  drawing.fillText(shown, x, y);
}

function pictureOf(cell: Cell | null, transform: string, exposure: number): Promise<HTMLImageElement | null> {
  if (!cell?.picture) return Promise.resolve(null);
  return new Promise((done) => {
    const image = new Image();
    image.onload = () => done(image);
    image.onerror = () => done(null);
    image.src = addressOf(cell, transform, exposure, 2 * ACROSS);
  });
}

function handOver(file: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
