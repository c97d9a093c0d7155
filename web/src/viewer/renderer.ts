import { halvesOf, type Line, onSide } from "./line";
import { TilePages } from "./pages";
import { type Polygon, WHOLE_PANE, within } from "./polygon";
import { CORNER, type Program, Programs } from "./programs";
import { grid, keyOf, levelSize, type Pyramid, readAt, shownBox, type TileId, tilesIn } from "./pyramid";
import type { Colours } from "./scales";
import { type Sampling, SLOTS, type Variant } from "./shader";
import type { TileStore } from "./tiles";
import type { TransformShader } from "./useTransform";
import { aligned, type Point, type Size, type Viewport } from "./viewport";

export const TILE = 512;
const TILES_UNIT = 0;
const TABLE_UNIT = 1;
const FIRST_FREE_UNIT = 2;
/** Coarser than this no picture is asked for, however many there are. */
const MOST_COARSER = 12;

/** How a pane combines its two pictures. */
export type Combining = "divided" | "alone" | "difference" | "size of difference";

type Two = readonly [Pyramid | null, Pyramid | null];

/** What a pane reads; null for what is not there. The first of each two is the control's, or the one shown alone. */
export type Slots = { readonly pictures: Two; readonly maps: Two; readonly over: Two };

/** One pane of the canvas, in CSS pixels from its top left. */
export type Pane = Size & {
  readonly left: number;
  readonly top: number;
  readonly combining: Combining;
  readonly slots: Slots;
  readonly view: Viewport;
};

/** All that is drawn at once. */
export type Drawing = {
  readonly panes: readonly Pane[];
  /** Pictures that are not shown but may be at the next key press. */
  readonly ahead: readonly Pyramid[];
  readonly frame: Size;
  readonly line: Line;
  readonly exposure: number;
  readonly lift: number;
  readonly channel: number;
  readonly soft: boolean;
  readonly surround: number;
  readonly range: readonly [number, number];
  readonly colours: Colours;
};

/** A place in a picture's own pixels, and what is multiplied over it. */
export type Probed = { readonly pyramid: Pyramid; readonly over: Pyramid | null; readonly at: Point };

/** What of a drawing is read at which level, and how it is sampled there. */
type Reading = {
  readonly level: number;
  readonly sampling: Sampling;
  /** Level pixels per frame pixel across and down, device pixels per level pixel. */
  readonly place: readonly [number, number, number];
};

/** Draws pictures on one canvas with WebGL2. Throws when the browser has none. */
export class PictureRenderer {
  private readonly gl: WebGL2RenderingContext;
  private readonly pages: TilePages;
  private readonly programs: Programs;
  private readonly probing: WebGLFramebuffer;
  private fence: WebGLSync | null = null;
  private last: Drawing | null = null;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly store: TileStore,
  ) {
    const gl = canvas.getContext("webgl2", {
      alpha: false,
      antialias: false,
      depth: false,
      preserveDrawingBuffer: true, // when only the line moves, only what changes sides is drawn
    });
    if (!gl) throw new Error("This browser shows no WebGL2, which the viewer needs.");
    this.gl = gl;
    this.pages = new TilePages(gl, store, TILE);
    this.programs = new Programs(gl, TILE, FIRST_FREE_UNIT);
    this.probing = gl.createFramebuffer();
    gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
    gl.enableVertexAttribArray(CORNER);
    gl.vertexAttribPointer(CORNER, 2, gl.FLOAT, false, 0, 0);
    gl.enable(gl.SCISSOR_TEST);
  }

  /** Show light through what OpenColorIO wrote; null for plain sRGB. */
  transform(shader: TransformShader | null): void {
    this.last = null;
    this.programs.transform(shader);
  }

  /** Whether the graphics processor still works on what was drawn last. */
  get busy(): boolean {
    const { gl, fence } = this;
    if (!fence) return false;
    if (gl.clientWaitSync(fence, 0, 0) === gl.TIMEOUT_EXPIRED) return true;
    gl.deleteSync(fence);
    this.fence = null;
    return false;
  }

  /**
   * Draw what has arrived, at so many canvas pixels per CSS pixel. Returns whether all of every picture is seen, however
   * coarse; whether everything is there; and whether to draw again at once. Throws when the view transform does not run here.
   */
  draw(drawing: Drawing, ratio: number): { seen: boolean; whole: boolean; more: boolean } {
    const { gl } = this;
    const needed = this.needed(drawing);
    // the whole of each picture first, however coarse: it is a tile, and there is something to see
    const come = needed.first.every(
      (id) => this.store.has(id) || this.pages.has(id) || this.store.failed(id),
    );
    this.store.want(come ? needed.tiles : needed.first);
    const all = needed.first.every((id) => this.pages.has(id) || this.store.failed(id));
    const { whole, more, changed } = this.pages.bring(all ? needed.tiles : needed.first);
    this.pages.bind(TILES_UNIT, TABLE_UNIT);
    const before = this.last;
    if (before && !changed && onlyTheLineMoved(before, drawing)) {
      for (const pane of drawing.panes) this.pane(drawing, pane, needed.coarser, ratio, before.line);
    } else {
      gl.scissor(0, 0, this.canvas.width, this.canvas.height);
      gl.clearColor(drawing.surround, drawing.surround, drawing.surround, 1);
      gl.clear(gl.COLOR_BUFFER_BIT);
      for (const pane of drawing.panes) this.pane(drawing, pane, needed.coarser, ratio, null);
    }
    this.last = drawing;
    this.fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    const seen = needed.first.every((id) => this.pages.has(id));
    return { seen, whole: whole && all, more: more || (seen && !all) };
  }

  /** Give back what it holds on the graphics processor. */
  dispose(): void {
    this.pages.dispose();
    this.programs.transform(null);
  }

  /** The canvas has another size, and what was drawn is gone. */
  resized(): void {
    this.last = null;
  }

  /** The 8-bit values of places as they are shown; null while their tiles are not all brought up. */
  displayed(drawing: Drawing, places: readonly Probed[]): number[][] | null {
    const { gl } = this;
    if (!this.pages.bring(places.flatMap(tilesUnder)).whole) return null;
    const target = gl.createTexture();
    gl.activeTexture(gl.TEXTURE0 + this.programs.freeUnit);
    gl.bindTexture(gl.TEXTURE_2D, target);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, places.length, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, null);
    gl.bindFramebuffer(gl.FRAMEBUFFER, this.probing);
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, target, 0);
    this.pages.bind(TILES_UNIT, TABLE_UNIT);
    for (const [number, { pyramid, over, at }] of places.entries()) {
      const box = { left: number, bottom: 0, width: 1, height: 1 };
      const middle = { x: Math.floor(at.x) + 0.5, y: Math.floor(at.y) + 0.5, zoom: 1 };
      const slots: Slots = { pictures: [pyramid, null], maps: [null, null], over: [over, null] };
      this.polygon(
        drawing,
        { box, view: middle, frame: pyramid, slots, coarser: 0 },
        "picture",
        0,
        WHOLE_PANE,
      );
    }
    const values = new Uint8Array(places.length * 4);
    gl.readPixels(0, 0, places.length, 1, gl.RGBA, gl.UNSIGNED_BYTE, values);
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    gl.deleteTexture(target);
    return places.map((_, number) => [...values.slice(4 * number, 4 * number + 3)]);
  }

  /** The tiles that a drawing shows, the coarse ones first; all levels coarser when there would be too many. */
  private needed(drawing: Drawing): { first: TileId[]; tiles: TileId[]; coarser: number } {
    for (let coarser = 0; ; coarser++) {
      const first = new Map<string, TileId>();
      const then = new Map<string, TileId>();
      const add = (pyramid: Pyramid | null, pane: Pane) => {
        if (!pyramid) return;
        const last = pyramid.levels - 1;
        const { width, height } = levelSize(pyramid, last);
        const all = { left: 0, top: 0, right: width, bottom: height };
        for (const id of tilesIn(pyramid, last, all)) first.set(keyOf(id), id);
        for (const id of shownTiles(pyramid, pane, drawing, coarser)) then.set(keyOf(id), id);
      };
      for (const pane of drawing.panes)
        for (const pyramid of [...pane.slots.pictures, ...pane.slots.maps, ...pane.slots.over])
          add(pyramid, pane);
      const [pane] = drawing.panes;
      if (pane) for (const pyramid of drawing.ahead) add(pyramid, pane);
      const tiles = [...first.values(), ...[...then.values()].filter((id) => !first.has(keyOf(id)))];
      if (tiles.length <= this.pages.most || coarser >= MOST_COARSER)
        return { first: [...first.values()], tiles, coarser };
    }
  }

  /** Draw a pane; where the line was before is given, only what has changed sides since. */
  private pane(drawing: Drawing, pane: Pane, coarser: number, ratio: number, before: Line | null): void {
    const [left, top] = [Math.round(pane.left * ratio), Math.round(pane.top * ratio)];
    const [width, height] = [Math.round(pane.width * ratio), Math.round(pane.height * ratio)];
    const box = { left, bottom: this.canvas.height - top - height, width, height };
    const view = { ...aligned(pane.view, pane, ratio), zoom: pane.view.zoom * ratio };
    const what = { box, view, frame: drawing.frame, slots: pane.slots, coarser };
    const { pictures, maps } = pane.slots;
    if (pane.combining === "divided") {
      for (const [side, half] of halvesOf(drawing.line, pane).entries())
        if (maps[side] || pictures[side]) {
          const part = before ? onSide(half, before, pane, side === 0 ? 1 : 0) : half;
          this.polygon(drawing, what, maps[side] ? "map" : "picture", side as 0 | 1, part);
        }
    } else if (before) {
      return; // a pane without a line is as it was
    } else if (pane.combining === "alone") {
      if (maps[0] || pictures[0]) this.polygon(drawing, what, maps[0] ? "map" : "picture", 0, WHOLE_PANE);
    } else if (pictures[0] && pictures[1]) {
      this.polygon(drawing, what, pane.combining, 0, WHOLE_PANE);
    }
  }

  /** Draw a part of a pane: one side's picture or map, or both sides' difference. */
  private polygon(
    drawing: Drawing,
    what: {
      box: { left: number; bottom: number; width: number; height: number };
      view: Viewport;
      frame: Size;
      slots: Slots;
      coarser: number;
    },
    combining: Variant["combining"],
    side: 0 | 1,
    part: Polygon,
  ): void {
    const { gl } = this;
    const { box, view, frame, slots, coarser } = what;
    // beside the picture is the surround, which is there already: nothing is computed for it
    const corners = within(part, {
      left: 0.5 - (view.x * view.zoom) / box.width,
      right: 0.5 + ((frame.width - view.x) * view.zoom) / box.width,
      top: 0.5 - (view.y * view.zoom) / box.height,
      bottom: 0.5 + ((frame.height - view.y) * view.zoom) / box.height,
    });
    if (corners.length < 3) return;
    const { pictures, maps, over } = slots;
    const both = combining === "difference" || combining === "size of difference";
    const read: (Pyramid | null | undefined)[] = both
      ? [pictures[0], pictures[1], null, null, over[0], over[1]]
      : combining === "map"
        ? [null, null, maps[side], null, null, null]
        : [pictures[side], null, null, null, over[side], null];
    const readings = read.map((pyramid) =>
      pyramid ? readingOf(pyramid, frame, view.zoom, drawing.soft, coarser) : null,
    );
    const program = this.programs.get({
      combining,
      sampling: readings.map((reading) => reading?.sampling ?? null),
      lifted: drawing.lift > 0,
      channel: combining === "picture" ? drawing.channel : 0,
    });
    // biome-ignore lint/correctness/useHookAtTopLevel: a WebGL call, not a hook
    gl.useProgram(program.use);
    gl.viewport(box.left, box.bottom, box.width, box.height);
    gl.scissor(box.left, box.bottom, box.width, box.height);
    const { at } = program;
    gl.uniform4f(at.pane, box.left, box.bottom, box.width, box.height);
    gl.uniform3f(at.view, view.x, view.y, view.zoom);
    this.slots(program, read, readings);
    gl.uniform1i(at.tiles, TILES_UNIT);
    gl.uniform1i(at.pages, TABLE_UNIT);
    gl.uniform1f(at.gain, 2 ** drawing.exposure);
    gl.uniform1f(at.lift, drawing.lift);
    gl.uniform1f(at.surround, drawing.surround);
    gl.uniform2f(at.mapRange, drawing.range[0], drawing.range[1]);
    gl.uniform3fv(at.stops, drawing.colours.flat());
    if (this.pages.empty) return; // the shader is there for when something comes; there is but the surround to see
    const clip = corners.flatMap(({ x, y }) => [2 * x - 1, 1 - 2 * y]);
    gl.bufferData(gl.ARRAY_BUFFER, new Float32Array(clip), gl.STREAM_DRAW);
    gl.drawArrays(gl.TRIANGLE_FAN, 0, corners.length);
  }

  private slots(
    { at }: Program,
    read: readonly (Pyramid | null | undefined)[],
    readings: readonly (Reading | null)[],
  ): void {
    const levels = new Int32Array(SLOTS * 4);
    const places = new Float32Array(SLOTS * 3);
    for (const [slot, pyramid] of read.entries()) {
      const reading = readings[slot];
      if (!pyramid || !reading) continue;
      const { width, height } = levelSize(pyramid, reading.level);
      const { columns } = grid(pyramid, reading.level);
      levels.set([this.pages.first(pyramid, reading.level), columns, width, height], slot * 4);
      places.set(reading.place, slot * 3);
    }
    this.gl.uniform4iv(at.level, levels);
    this.gl.uniform3fv(at.place, places);
  }
}

/** Whether two drawings are alike but for the line, so that all else can stay as it is. */
function onlyTheLineMoved(before: Drawing, now: Drawing): boolean {
  if (before.line === now.line) return false;
  return JSON.stringify({ ...before, line: null }) === JSON.stringify({ ...now, line: null });
}

/** At which level a picture is read, and how its pixels become the screen's, at so many device pixels per frame pixel. */
function readingOf(pyramid: Pyramid, frame: Size, zoom: number, soft: boolean, coarser: number): Reading {
  const { level, scale, own } = readAt(pyramid, frame, zoom, coarser);
  return {
    level,
    sampling: own < 1 - 1e-4 ? "reduced" : soft && own > 1 + 1e-4 ? "blended" : "nearest",
    place: [scale.x, scale.y, own],
  };
}

/** The tiles of the part of a picture that a pane shows. */
function shownTiles(pyramid: Pyramid, pane: Pane, drawing: Drawing, coarser: number): TileId[] {
  const { level, scale } = readAt(pyramid, drawing.frame, pane.view.zoom * devicePixelRatio, coarser);
  return tilesIn(pyramid, level, shownBox(pane.view, pane, scale, 1));
}

function tilesUnder({ pyramid, over, at }: Probed): TileId[] {
  const under = (of: Pyramid, scale: number) =>
    tilesIn(of, 0, {
      left: at.x * scale,
      top: at.y * scale,
      right: at.x * scale + 1e-3,
      bottom: at.y * scale + 1e-3,
    });
  return [...under(pyramid, 1), ...(over ? under(over, over.width / pyramid.width) : [])];
}
