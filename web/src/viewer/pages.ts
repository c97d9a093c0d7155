import { keyOf, levelSize, numbered, type Pyramid, type TileId, tileSize } from "./pyramid";
import { PAGES_ACROSS } from "./shader";
import type { TileStore } from "./tiles";

const LAYERS_AT_ONCE = 8;
const MOST_LAYERS = 256;
const UPLOADS_A_FRAME = 3;

/** The tiles on the graphics processor, in the layers of one texture, and the table that says where each lies. */
export class TilePages {
  private tiles: WebGLTexture;
  private readonly table: WebGLTexture;
  private layers = 0;
  private layerOf = new Map<string, number>();
  private readonly lastNeeded = new Map<string, number>();
  private readonly firstOf = new Map<string, { first: number; pyramid: Pyramid; starts: number[] }>();
  private count = 0;
  private frame = 0;
  private stale = true;

  constructor(
    private readonly gl: WebGL2RenderingContext,
    private readonly store: TileStore,
    private readonly tile: number,
  ) {
    this.tiles = gl.createTexture();
    this.table = gl.createTexture();
  }

  /** How many tiles can be there at once. */
  get most(): number {
    return Math.min(MOST_LAYERS, this.gl.getParameter(this.gl.MAX_ARRAY_TEXTURE_LAYERS) as number);
  }

  /** The number of the first tile of a level in the table. */
  first(pyramid: Pyramid, level: number): number {
    let known = this.firstOf.get(pyramid.digest);
    if (!known) {
      const { starts, count } = numbered(pyramid);
      known = { first: this.count, pyramid, starts };
      this.firstOf.set(pyramid.digest, known);
      this.count += count;
      this.stale = true;
    }
    return known.first + (known.starts[level] ?? 0);
  }

  /**
   * Bring these up as far as they have arrived. Returns whether all are there, whether more could be brought up, and
   * whether any was.
   */
  bring(needed: readonly TileId[]): { whole: boolean; more: boolean; changed: boolean } {
    this.frame += 1;
    this.gl.activeTexture(this.gl.TEXTURE0); // what is bound on the way must not take the place of a transform's tables
    for (const id of needed) this.lastNeeded.set(keyOf(id), this.frame);
    // room is made once there is something to put into it: until then the graphics processor is left alone
    if (needed.length > this.layers && needed.some((id) => this.store.has(id)))
      this.grow(Math.min(this.most, LAYERS_AT_ONCE * Math.ceil(needed.length / LAYERS_AT_ONCE)));
    let [whole, more, uploads] = [true, false, 0];
    for (const id of needed) {
      if (this.layerOf.has(keyOf(id))) continue;
      const halves = this.store.get(id);
      if (!halves || uploads >= UPLOADS_A_FRAME) {
        whole &&= Boolean(this.store.failed(id));
        more ||= Boolean(halves);
        continue;
      }
      const layer = this.freeLayer();
      if (layer === null) {
        whole = false;
        continue;
      }
      this.upload(id, layer, halves);
      uploads += 1;
    }
    const changed = this.stale;
    if (changed) this.writeTable();
    return { whole, more, changed };
  }

  /** Whether nothing is there. */
  get empty(): boolean {
    return this.layerOf.size === 0;
  }

  /** Whether a tile is there. */
  has(id: TileId): boolean {
    return this.layerOf.has(keyOf(id));
  }

  /** Make both textures the ones that the samplers read. */
  bind(tilesUnit: number, tableUnit: number): void {
    const { gl } = this;
    gl.activeTexture(gl.TEXTURE0 + tilesUnit);
    gl.bindTexture(gl.TEXTURE_2D_ARRAY, this.tiles);
    gl.activeTexture(gl.TEXTURE0 + tableUnit);
    gl.bindTexture(gl.TEXTURE_2D, this.table);
  }

  dispose(): void {
    this.gl.deleteTexture(this.tiles);
    this.gl.deleteTexture(this.table);
  }

  private grow(layers: number): void {
    const { gl } = this;
    gl.deleteTexture(this.tiles);
    this.tiles = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D_ARRAY, this.tiles);
    // with contents of its own, or software rendering clears each layer by drawing, which takes four times as long
    const empty = new Uint16Array(this.tile * this.tile * 4 * layers);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    gl.texImage3D(
      gl.TEXTURE_2D_ARRAY,
      0,
      gl.RGBA16F,
      this.tile,
      this.tile,
      layers,
      0,
      gl.RGBA,
      gl.HALF_FLOAT,
      empty,
    );
    gl.texParameteri(gl.TEXTURE_2D_ARRAY, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D_ARRAY, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    this.layers = layers;
    this.layerOf = new Map();
    this.stale = true;
  }

  /** A layer that holds nothing, or what was needed longest ago; null when all are needed now. */
  private freeLayer(): number | null {
    if (this.layerOf.size < this.layers) {
      const taken = new Set(this.layerOf.values());
      for (let layer = 0; layer < this.layers; layer++) if (!taken.has(layer)) return layer;
    }
    let oldest: string | null = null;
    let when = this.frame;
    for (const key of this.layerOf.keys()) {
      const needed = this.lastNeeded.get(key) ?? 0;
      if (needed < when) [oldest, when] = [key, needed];
    }
    if (oldest === null) return null;
    const layer = this.layerOf.get(oldest) ?? null;
    this.layerOf.delete(oldest);
    this.lastNeeded.delete(oldest);
    return layer;
  }

  private upload(id: TileId, layer: number, halves: Uint16Array<ArrayBuffer>): void {
    const { gl } = this;
    this.first(id.pyramid, id.level); // or the table would not say where it lies
    const { width, height } = tileSize(id);
    gl.bindTexture(gl.TEXTURE_2D_ARRAY, this.tiles);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    gl.texSubImage3D(gl.TEXTURE_2D_ARRAY, 0, 0, 0, layer, width, height, 1, gl.RGBA, gl.HALF_FLOAT, halves);
    this.layerOf.set(keyOf(id), layer);
    this.stale = true;
  }

  /** For every tile of every picture its own layer, or that of the nearest coarser tile that is there. */
  private writeTable(): void {
    const { gl } = this;
    const rows = Math.max(1, Math.ceil(this.count / PAGES_ACROSS));
    const table = new Uint16Array(rows * PAGES_ACROSS * 2);
    for (const { first, pyramid, starts } of this.firstOf.values())
      for (let level = pyramid.levels - 1; level >= 0; level--) {
        const { width, height } = levelSize(pyramid, level);
        const [columns, down] = [Math.ceil(width / pyramid.tile), Math.ceil(height / pyramid.tile)];
        const coarser = Math.ceil(levelSize(pyramid, level + 1).width / pyramid.tile);
        for (let row = 0; row < down; row++)
          for (let column = 0; column < columns; column++) {
            const at = (first + (starts[level] ?? 0) + row * columns + column) * 2;
            const layer = this.layerOf.get(keyOf({ pyramid, level, column, row }));
            if (layer !== undefined) {
              table[at] = layer + 1;
            } else if (level + 1 < pyramid.levels) {
              const above = (first + (starts[level + 1] ?? 0) + (row >> 1) * coarser + (column >> 1)) * 2;
              table[at] = table[above] ?? 0;
              table[at + 1] = (table[above + 1] ?? 0) + 1;
            }
          }
      }
    gl.bindTexture(gl.TEXTURE_2D, this.table);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    gl.texImage2D(
      gl.TEXTURE_2D,
      0,
      gl.RG16UI,
      PAGES_ACROSS,
      rows,
      0,
      gl.RG_INTEGER,
      gl.UNSIGNED_SHORT,
      table,
    );
    this.stale = false;
  }
}
