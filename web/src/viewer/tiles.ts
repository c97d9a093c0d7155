import { fromHalf } from "./half";
import { keyOf, type Pyramid, type TileId, tileSize } from "./pyramid";
import type { Point } from "./viewport";

export type Halves = Uint16Array<ArrayBuffer>;
export type Fetching = (id: TileId) => Promise<Halves>;

/** Linear red, green and blue of a pixel; why there is none. */
export type Read =
  | { state: "there"; value: readonly [number, number, number] }
  | { state: "invalid" | "outside" | "waiting" | "failed" };

const AT_ONCE = 6;
const MOST_BYTES = 384 * 1024 * 1024;

/** Tiles of pictures: what is wanted is fetched, most urgent first; what is there is kept while there is room. */
export class TileStore {
  private readonly there = new Map<string, Halves>();
  private readonly broken = new Map<string, string>();
  private readonly underWay = new Set<string>();
  private readonly heard = new Set<() => void>();
  private queue: TileId[] = [];
  private urgent: TileId[] = [];
  private bytes = 0;

  constructor(
    private readonly fetching: Fetching = fetchTile,
    private readonly mostBytes: number = MOST_BYTES,
  ) {}

  /** A tile's pixels, four half floats each; undefined while it is not there. */
  get(id: TileId): Halves | undefined {
    const key = keyOf(id);
    const halves = this.there.get(key);
    if (halves) {
      // the map's order is that of use, so that what was used longest ago is dropped first
      this.there.delete(key);
      this.there.set(key, halves);
    }
    return halves;
  }

  /** Whether a tile has come; not counted as a use of it. */
  has(id: TileId): boolean {
    return this.there.has(keyOf(id));
  }

  failed(id: TileId): string | undefined {
    return this.broken.get(keyOf(id));
  }

  /** How many tiles could not be had. */
  get failures(): number {
    return this.broken.size;
  }

  /** Ask for these, in this order, instead of what was asked for before and is not under way. */
  want(ids: readonly TileId[]): void {
    this.queue = ids.filter((id) => this.lacks(id));
    this.next();
  }

  /** Ask for one before all others. */
  need(id: TileId): void {
    if (!this.lacks(id) || this.urgent.some((each) => keyOf(each) === keyOf(id))) return;
    this.urgent.push(id);
    this.next();
  }

  /** Try again what could not be had. */
  retry(): void {
    this.broken.clear();
    this.tell();
  }

  /** Called whenever a tile has come or failed. Returns what ends it. */
  listen(changed: () => void): () => void {
    this.heard.add(changed);
    return () => this.heard.delete(changed);
  }

  /** The pixel of the full size at a place in the picture's pixels; asks for its tile when that is not there. */
  read(pyramid: Pyramid, at: Point): Read {
    const [x, y] = [Math.floor(at.x), Math.floor(at.y)];
    if (x < 0 || y < 0 || x >= pyramid.width || y >= pyramid.height) return { state: "outside" };
    const id = {
      pyramid,
      level: 0,
      column: Math.floor(x / pyramid.tile),
      row: Math.floor(y / pyramid.tile),
    };
    if (this.failed(id)) return { state: "failed" };
    const halves = this.get(id);
    if (!halves) {
      this.need(id);
      return { state: "waiting" };
    }
    const width = tileSize(id).width;
    const start = ((y % pyramid.tile) * width + (x % pyramid.tile)) * 4;
    const [red, green, blue, valid] = [0, 1, 2, 3].map((channel) => fromHalf(halves[start + channel] ?? 0));
    return valid ? { state: "there", value: [red ?? 0, green ?? 0, blue ?? 0] } : { state: "invalid" };
  }

  private lacks(id: TileId): boolean {
    const key = keyOf(id);
    return !this.there.has(key) && !this.underWay.has(key) && !this.broken.has(key);
  }

  private next(): void {
    while (this.underWay.size < AT_ONCE) {
      const id = this.urgent.shift() ?? this.queue.shift();
      if (!id) return;
      if (!this.lacks(id)) continue;
      const key = keyOf(id);
      this.underWay.add(key);
      this.fetching(id)
        .then((halves) => this.put(key, halves))
        .catch((error: unknown) => {
          this.broken.set(key, error instanceof Error ? error.message : String(error));
        })
        .finally(() => {
          this.underWay.delete(key);
          this.next();
          this.tell();
        });
    }
  }

  private put(key: string, halves: Halves): void {
    this.there.set(key, halves);
    this.bytes += halves.byteLength;
    for (const [oldest, contents] of this.there) {
      if (this.bytes <= this.mostBytes || oldest === key) break;
      this.there.delete(oldest);
      this.bytes -= contents.byteLength;
    }
  }

  private tell(): void {
    for (const changed of this.heard) changed();
  }
}

async function fetchTile(id: TileId): Promise<Halves> {
  const answer = await fetch(
    `/api/pictures/${id.pyramid.digest}/tiles/${id.level}/${id.column}/${id.row}/`,
    // what the browser kept of an address whose contents never change is never asked for again
    { cache: "force-cache" },
  );
  if (!answer.ok) throw new Error(`the server answered ${answer.status}`);
  return new Uint16Array(await answer.arrayBuffer());
}

/** The page's tiles, shared by all viewers on it. */
export const tileStore = new TileStore();
