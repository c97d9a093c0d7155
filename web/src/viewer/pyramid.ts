import type { Point, Size, Viewport } from "./viewport";

/** How the server cuts a picture up: level 0 is the full size, each further one half of it, the last is one tile. */
export type Pyramid = Size & { readonly digest: string; readonly tile: number; readonly levels: number };

export type TileId = {
  readonly pyramid: Pyramid;
  readonly level: number;
  readonly column: number;
  readonly row: number;
};

/** A box in a level's pixels: from inclusive, to exclusive. */
export type Box = {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
};

export function keyOf(id: TileId): string {
  return `${id.pyramid.digest}/${id.level}/${id.column}/${id.row}`;
}

export function levelSize(pyramid: Pyramid, level: number): Size {
  const halved = (side: number) => Math.ceil(side / 2 ** level);
  return { width: halved(pyramid.width), height: halved(pyramid.height) };
}

/** Tiles across and down at a level. */
export function grid(pyramid: Pyramid, level: number): { columns: number; rows: number } {
  const { width, height } = levelSize(pyramid, level);
  return { columns: Math.ceil(width / pyramid.tile), rows: Math.ceil(height / pyramid.tile) };
}

/** The smallest level that still has a pixel for each screen pixel, at so many screen pixels per picture pixel. */
export function levelFor(pyramid: Pyramid, zoom: number): number {
  const level = Math.floor(Math.log2(1 / zoom) + 1e-6);
  return Math.min(Math.max(level, 0), pyramid.levels - 1);
}

/**
 * From which level a picture is shown in a frame, at so many device pixels per frame pixel: level pixels per frame pixel
 * across and down, and device pixels per level pixel.
 */
export function readAt(pyramid: Pyramid, frame: Size, zoom: number, coarser = 0) {
  const across = pyramid.width / frame.width;
  const level = Math.min(levelFor(pyramid, zoom / across) + coarser, pyramid.levels - 1);
  const shrunk = 2 ** -level;
  const scale = { x: across * shrunk, y: (pyramid.height / frame.height) * shrunk };
  return { level, scale, own: zoom / across / shrunk };
}

/** The part of the frame that a pane shows and so much around it, in pixels of a level. */
export function shownBox(view: Viewport, pane: Size, scale: Point, around = 0): Box {
  const half = { x: pane.width / view.zoom / 2 + around, y: pane.height / view.zoom / 2 + around };
  return {
    left: (view.x - half.x) * scale.x,
    right: (view.x + half.x) * scale.x,
    top: (view.y - half.y) * scale.y,
    bottom: (view.y + half.y) * scale.y,
  };
}

/** The tiles that a box of a level touches, those nearest its middle first; none when it lies beside the picture. */
export function tilesIn(pyramid: Pyramid, level: number, box: Box): TileId[] {
  const { columns, rows } = grid(pyramid, level);
  const first = (edge: number) => Math.max(Math.floor(edge / pyramid.tile), 0);
  const last = (edge: number, count: number) => Math.min(Math.ceil(edge / pyramid.tile), count) - 1;
  const found: TileId[] = [];
  for (let row = first(box.top); row <= last(box.bottom, rows); row++)
    for (let column = first(box.left); column <= last(box.right, columns); column++)
      found.push({ pyramid, level, column, row });
  const middle = {
    x: (box.left + box.right) / 2 / pyramid.tile,
    y: (box.top + box.bottom) / 2 / pyramid.tile,
  };
  const distance = (id: TileId) => Math.hypot(id.column + 0.5 - middle.x, id.row + 0.5 - middle.y);
  return found.sort((one, two) => distance(one) - distance(two));
}

/** Width and height of one tile; those at the right and at the bottom are as small as what is left. */
export function tileSize({ pyramid, level, column, row }: TileId): Size {
  const { width, height } = levelSize(pyramid, level);
  return {
    width: Math.min(pyramid.tile, width - column * pyramid.tile),
    height: Math.min(pyramid.tile, height - row * pyramid.tile),
  };
}

/** Where the tiles of each level begin when all tiles of a picture are numbered, and how many there are. */
export function numbered(pyramid: Pyramid): { starts: number[]; count: number } {
  const starts: number[] = [];
  let count = 0;
  for (let level = 0; level < pyramid.levels; level++) {
    starts.push(count);
    const { columns, rows } = grid(pyramid, level);
    count += columns * rows;
  }
  return { starts, count };
}
