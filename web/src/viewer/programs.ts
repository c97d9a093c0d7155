import { fragment, type Variant, VERTEX, variantKey } from "./shader";
import type { TransformShader } from "./useTransform";

const UNIFORMS = [
  "tiles",
  "pages",
  "level",
  "place",
  "pane",
  "view",
  "gain",
  "lift",
  "surround",
  "mapRange",
  "stops",
] as const;

export type Program = {
  readonly use: WebGLProgram;
  readonly at: Readonly<Record<(typeof UNIFORMS)[number], WebGLUniformLocation | null>>;
};

/** The attribute of the polygon's corners. */
export const CORNER = 0;

/** Shaders by variant, each compiled when it is first drawn with, for one view transform at a time. */
export class Programs {
  private readonly there = new Map<string, Program>();
  private tables: WebGLTexture[] = [];
  private shader: TransformShader | null = null;

  constructor(
    private readonly gl: WebGL2RenderingContext,
    private readonly tile: number,
    private readonly firstUnit: number,
  ) {}

  /** The first texture unit that no table of the transform holds. */
  get freeUnit(): number {
    return this.firstUnit + this.tables.length;
  }

  /** Show light through what OpenColorIO wrote; null for plain sRGB. Throws when it does not run here. */
  transform(shader: TransformShader | null): void {
    const { gl } = this;
    for (const program of this.there.values()) gl.deleteProgram(program.use);
    for (const table of this.tables) gl.deleteTexture(table);
    this.there.clear();
    this.shader = shader;
    this.tables = (shader?.textures ?? []).map((table, place) => lookedUp(gl, this.firstUnit + place, table));
  }

  /** Throws when the shader does not run here. */
  get(variant: Variant): Program {
    const key = variantKey(variant);
    const known = this.there.get(key);
    if (known) return known;
    const { gl } = this;
    const use = linked(gl, fragment(variant, this.shader?.text ?? "", this.tile));
    // biome-ignore lint/correctness/useHookAtTopLevel: a WebGL call, not a hook
    gl.useProgram(use);
    for (const [place, table] of (this.shader?.textures ?? []).entries())
      gl.uniform1i(gl.getUniformLocation(use, table.sampler), this.firstUnit + place);
    const at = Object.fromEntries(UNIFORMS.map((name) => [name, gl.getUniformLocation(use, name)]));
    const program = { use, at: at as Program["at"] };
    this.there.set(key, program);
    return program;
  }
}

function lookedUp(
  gl: WebGL2RenderingContext,
  unit: number,
  table: TransformShader["textures"][number],
): WebGLTexture {
  const texture = gl.createTexture();
  const kind = table.depth ? gl.TEXTURE_3D : gl.TEXTURE_2D;
  const [inside, outside] = table.channels === 1 ? [gl.R16F, gl.RED] : [gl.RGB16F, gl.RGB];
  const bytes = Uint8Array.from(atob(table.values), (letter) => letter.charCodeAt(0));
  const halves = new Uint16Array(bytes.buffer);
  gl.activeTexture(gl.TEXTURE0 + unit);
  gl.bindTexture(kind, texture);
  gl.pixelStorei(gl.UNPACK_ALIGNMENT, 2);
  const filter = table.smooth ? gl.LINEAR : gl.NEAREST;
  for (const [name, value] of [
    [gl.TEXTURE_MIN_FILTER, filter],
    [gl.TEXTURE_MAG_FILTER, filter],
    [gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE],
    [gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE],
    [gl.TEXTURE_WRAP_R, gl.CLAMP_TO_EDGE],
  ] as const)
    gl.texParameteri(kind, name, value);
  const { width, height, depth } = table;
  if (depth) gl.texImage3D(kind, 0, inside, width, height, depth, 0, outside, gl.HALF_FLOAT, halves);
  else gl.texImage2D(kind, 0, inside, width, height, 0, outside, gl.HALF_FLOAT, halves);
  return texture;
}

function linked(gl: WebGL2RenderingContext, source: string): WebGLProgram {
  const program = gl.createProgram();
  for (const [kind, text] of [
    [gl.VERTEX_SHADER, VERTEX],
    [gl.FRAGMENT_SHADER, source],
  ] as const) {
    const shader = gl.createShader(kind);
    if (!shader) throw new Error("The graphics processor gave no shader.");
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  }
  gl.bindAttribLocation(program, CORNER, "corner");
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
