import type { ShownLayer } from "./layers";
import type { Line } from "./line";
import { toTrial } from "./line";
import type { Pixels } from "./pixels";
import { stopsOf } from "./scales";
import { FRAGMENT, VERTEX } from "./shader";
import type { TransformTable } from "./useTransformTable";
import type { Viewport } from "./viewport";

export const MODES = ["divided", "side by side", "control", "trial", "difference"] as const;
export type Mode = (typeof MODES)[number];

export type Scene = {
  readonly mode: Mode;
  readonly view: Viewport;
  readonly line: Line;
  readonly exposure: number;
  readonly range: number;
  readonly surround: number;
};

const UNIFORMS = [
  "control",
  "trial",
  "pane",
  "view",
  "line",
  "mode",
  "gain",
  "range",
  "surround",
  "baked",
  "table",
  "shaper",
  "controlMap",
  "trialMap",
  "mapped",
  "mapRange",
  "stops",
] as const;

/** Draws two pictures on one canvas with WebGL2. Throws when the browser has none. */
export class PairRenderer {
  private readonly gl: WebGL2RenderingContext;
  private readonly at: Record<(typeof UNIFORMS)[number], WebGLUniformLocation | null>;
  private readonly textures: readonly WebGLTexture[];
  private readonly cube: WebGLTexture;

  constructor(canvas: HTMLCanvasElement) {
    const gl = canvas.getContext("webgl2", { alpha: false, antialias: false, depth: false });
    if (!gl) throw new Error("This browser shows no WebGL2, which the viewer needs.");
    this.gl = gl;
    const program = linked(gl);
    // biome-ignore lint/correctness/useHookAtTopLevel: a WebGL call, not a hook
    gl.useProgram(program);
    this.at = Object.fromEntries(
      UNIFORMS.map((name) => [name, gl.getUniformLocation(program, name)]),
    ) as typeof this.at;
    this.textures = [0, 1, 2, 3].map(() => gl.createTexture());
    this.cube = gl.createTexture();
    // an empty cube, since a sampler without a texture is an error even where it is not used
    gl.activeTexture(gl.TEXTURE2);
    gl.bindTexture(gl.TEXTURE_3D, this.cube);
    gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA8, 1, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
    gl.uniform1i(this.at.control, 0);
    gl.uniform1i(this.at.trial, 1);
    gl.uniform1i(this.at.table, 2);
    gl.uniform1i(this.at.controlMap, 3);
    gl.uniform1i(this.at.trialMap, 4);
  }

  /** Draw a map in the pictures' place; null for the pictures themselves. */
  map(shown: ShownLayer | null): void {
    const { gl, at } = this;
    gl.uniform2i(at.mapped, shown?.control ? 1 : 0, shown?.trial ? 1 : 0);
    if (!shown) return;
    if (shown.control) this.put(3, this.textures[2], shown.control);
    if (shown.trial) this.put(4, this.textures[3], shown.trial);
    gl.uniform2f(at.mapRange, shown.low, shown.high);
    gl.uniform3fv(at.stops, stopsOf(shown.layer).flat());
  }

  /** Show light through this table; null for plain sRGB. */
  transform(table: TransformTable | null): void {
    const { gl, at } = this;
    gl.uniform1i(at.baked, table ? 1 : 0);
    if (!table) return;
    gl.activeTexture(gl.TEXTURE2);
    gl.bindTexture(gl.TEXTURE_3D, this.cube);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    for (const side of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T, gl.TEXTURE_WRAP_R])
      gl.texParameteri(gl.TEXTURE_3D, side, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    const { size } = table;
    gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA16F, size, size, size, 0, gl.RGBA, gl.HALF_FLOAT, table.halves);
    gl.uniform3f(at.shaper, size, table.lowestStop, table.stops);
  }

  /** The largest picture side this graphics processor takes. */
  get mostPixels(): number {
    return this.gl.getParameter(this.gl.MAX_TEXTURE_SIZE) as number;
  }

  load(side: 0 | 1, pixels: Pixels): void {
    this.put(side, this.textures[side], pixels);
  }

  private put(unit: number, texture: WebGLTexture | undefined, pixels: Pixels): void {
    const gl = this.gl;
    if (!texture) return;
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    gl.texImage2D(
      gl.TEXTURE_2D,
      0,
      gl.RGBA16F,
      pixels.width,
      pixels.height,
      0,
      gl.RGBA,
      gl.HALF_FLOAT,
      pixels.halves,
    );
  }

  draw(scene: Scene): void {
    const { gl } = this;
    const { width, height } = gl.canvas;
    if (scene.mode === "side by side") {
      const half = Math.floor(width / 2);
      this.pane(scene, 1, 0, half, height);
      this.pane(scene, 2, width - half, half, height);
      if (width % 2) this.fill(half, 1, height, scene.surround);
      return;
    }
    this.pane(scene, { divided: 0, control: 1, trial: 2, difference: 3 }[scene.mode], 0, width, height);
  }

  dispose(): void {
    for (const texture of this.textures) this.gl.deleteTexture(texture);
    this.gl.getExtension("WEBGL_lose_context")?.loseContext();
  }

  private pane(scene: Scene, mode: number, left: number, width: number, height: number): void {
    const { gl, at } = this;
    const ratio = devicePixelRatio;
    const normal = toTrial(scene.line);
    gl.viewport(left, 0, width, height);
    gl.scissor(left, 0, width, height);
    gl.enable(gl.SCISSOR_TEST);
    gl.uniform4f(at.pane, left, 0, width, height);
    // the picture's corner falls on a whole device pixel, so that at 1:1 every picture pixel is exactly one of the screen's
    const zoom = scene.view.zoom * ratio;
    const snapped = (middle: number, extent: number) =>
      (extent / 2 - Math.round(extent / 2 - middle * zoom)) / zoom;
    gl.uniform3f(at.view, snapped(scene.view.x, width), snapped(scene.view.y, height), zoom);
    gl.uniform4f(at.line, scene.line.x * width, scene.line.y * height, normal.x, normal.y);
    gl.uniform1i(at.mode, mode);
    gl.uniform1f(at.gain, 2 ** scene.exposure);
    gl.uniform1f(at.range, scene.range);
    gl.uniform1f(at.surround, scene.surround);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
  }

  private fill(left: number, width: number, height: number, value: number): void {
    const { gl } = this;
    gl.scissor(left, 0, width, height);
    gl.clearColor(value, value, value, 1);
    gl.clear(gl.COLOR_BUFFER_BIT);
  }
}

function linked(gl: WebGL2RenderingContext): WebGLProgram {
  const program = gl.createProgram();
  for (const [kind, source] of [
    [gl.VERTEX_SHADER, VERTEX],
    [gl.FRAGMENT_SHADER, FRAGMENT],
  ] as const) {
    const shader = gl.createShader(kind);
    if (!shader) throw new Error("The graphics processor gave no shader.");
    gl.shaderSource(shader, source);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS) && !gl.isContextLost()) {
    const said = gl
      .getAttachedShaders(program)
      ?.map((shader) => gl.getShaderInfoLog(shader))
      .join(" ");
    throw new Error(`The viewer's shader does not run here: ${said ?? ""}`);
  }
  return program;
}
