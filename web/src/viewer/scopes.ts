import { HALF_VALUES } from "./half";
import { type Pyramid, readAt, shownBox, tileSize, tilesIn } from "./pyramid";
import type { TileStore } from "./tiles";
import type { Size, Viewport } from "./viewport";

export const LEAST_STOP = -12;
export const MOST_STOP = 4;
export const BINS = 64;
export const COLUMNS = 128;
export const ROWS = 64;
const MOST_SAMPLES = 150_000;

/** How the luminance of what is in view is spread, in stops from display white; by columns of the view as well. */
export type Scope = {
  /** Share of the pixels in each bin, darkest first. */
  readonly histogram: Float32Array;
  /** Share of a column's pixels by row (brightest first) and column. */
  readonly waveform: Float32Array;
  /** Share of the pixels that are at or above display white. */
  readonly white: number;
};

/** Of the part of a picture that a pane shows, as far as its tiles are there; null while none is. */
export function scopeOf(
  store: TileStore,
  pyramid: Pyramid,
  frame: Size,
  pane: Size,
  view: Viewport,
  exposure: number,
): Scope | null {
  const { level, scale } = readAt(pyramid, frame, view.zoom * devicePixelRatio);
  const box = shownBox(view, pane, scale);
  const area = Math.max(0, box.right - box.left) * Math.max(0, box.bottom - box.top);
  const step = Math.max(1, Math.ceil(Math.sqrt(area / MOST_SAMPLES)));
  const histogram = new Float32Array(BINS);
  const waveform = new Float32Array(ROWS * COLUMNS);
  const inColumn = new Float32Array(COLUMNS);
  const gain = 2 ** exposure;
  let [samples, white] = [0, 0];
  for (const id of tilesIn(pyramid, level, box)) {
    const halves = store.get(id);
    if (!halves) continue;
    const size = tileSize(id);
    const [left, top] = [id.column * pyramid.tile, id.row * pyramid.tile];
    const firstRow = first(box.top - top, step);
    const firstColumn = first(box.left - left, step);
    const lastRow = Math.min(size.height, box.bottom - top);
    const lastColumn = Math.min(size.width, box.right - left);
    for (let row = firstRow; row < lastRow; row += step)
      for (let column = firstColumn; column < lastColumn; column += step) {
        const at = (row * size.width + column) * 4;
        if ((HALF_VALUES[halves[at + 3] ?? 0] ?? 0) < 1) continue;
        const luminance =
          gain *
          (0.2126 * (HALF_VALUES[halves[at] ?? 0] ?? 0) +
            0.7152 * (HALF_VALUES[halves[at + 1] ?? 0] ?? 0) +
            0.0722 * (HALF_VALUES[halves[at + 2] ?? 0] ?? 0));
        samples += 1;
        if (luminance >= 1) white += 1;
        const stop = luminance > 0 ? Math.log2(luminance) : Number.NEGATIVE_INFINITY;
        const share = (stop - LEAST_STOP) / (MOST_STOP - LEAST_STOP);
        const across = Math.min(
          Math.floor(((left + column - box.left) / (box.right - box.left)) * COLUMNS),
          COLUMNS - 1,
        );
        if (across >= 0) inColumn[across] = (inColumn[across] ?? 0) + 1;
        if (share < 0) continue;
        const bin = Math.min(Math.floor(share * BINS), BINS - 1);
        histogram[bin] = (histogram[bin] ?? 0) + 1;
        if (across >= 0) {
          const cell = (ROWS - 1 - Math.min(Math.floor(share * ROWS), ROWS - 1)) * COLUMNS + across;
          waveform[cell] = (waveform[cell] ?? 0) + 1;
        }
      }
  }
  if (!samples) return null;
  for (let bin = 0; bin < BINS; bin++) histogram[bin] = (histogram[bin] ?? 0) / samples;
  for (let cell = 0; cell < waveform.length; cell++)
    waveform[cell] = (waveform[cell] ?? 0) / Math.max(inColumn[cell % COLUMNS] ?? 1, 1);
  return { histogram, waveform, white: white / samples };
}

/** The first place at or after an edge on the grid of the samples. */
function first(edge: number, step: number): number {
  return edge <= 0 ? 0 : Math.ceil(edge / step) * step;
}
