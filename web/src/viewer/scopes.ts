import { HALF_VALUES } from "./half";
import { levelFor, type Pyramid, tileSize, tilesIn } from "./pyramid";
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
  /** Share of the pixels that are black or below the darkest bin, and that are at or above display white. */
  readonly black: number;
  readonly white: number;
  readonly samples: number;
  /** Whether some tiles had not come yet. */
  readonly partial: boolean;
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
  const ratio = pyramid.width / frame.width;
  const level = levelFor(pyramid, view.zoom / ratio);
  const scale = { x: ratio * 2 ** -level, y: (pyramid.height / frame.height) * 2 ** -level };
  const half = { x: pane.width / view.zoom / 2, y: pane.height / view.zoom / 2 };
  const box = {
    left: (view.x - half.x) * scale.x,
    right: (view.x + half.x) * scale.x,
    top: (view.y - half.y) * scale.y,
    bottom: (view.y + half.y) * scale.y,
  };
  const area = Math.max(0, box.right - box.left) * Math.max(0, box.bottom - box.top);
  const step = Math.max(1, Math.ceil(Math.sqrt(area / MOST_SAMPLES)));
  const histogram = new Float32Array(BINS);
  const waveform = new Float32Array(ROWS * COLUMNS);
  const inColumn = new Float32Array(COLUMNS);
  const gain = 2 ** exposure;
  let [samples, black, white, partial] = [0, 0, 0, false];
  for (const id of tilesIn(pyramid, level, box)) {
    const halves = store.get(id);
    if (!halves) {
      partial = true;
      continue;
    }
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
        if (share < 0) {
          black += 1;
          continue;
        }
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
  return { histogram, waveform, black: black / samples, white: white / samples, samples, partial };
}

/** The first place at or after an edge on the grid of the samples. */
function first(edge: number, step: number): number {
  return edge <= 0 ? 0 : Math.ceil(edge / step) * step;
}
