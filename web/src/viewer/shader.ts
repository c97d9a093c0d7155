/** A polygon in the pane's own coordinates, from -1 to 1. */
export const VERTEX = `#version 300 es
in vec2 corner;
void main() { gl_Position = vec4(corner, 0.0, 1.0); }`;

/** What a pane reads: both sides' pictures, the maps drawn in their place, the passes multiplied over them. */
export const SLOTS = 6;
/** Tiles are numbered in a texture this wide. */
export const PAGES_ACROSS = 1024;

/** How a picture's pixels become the screen's: each screen pixel shows one, a blend of its neighbours, or a mean. */
export type Sampling = "nearest" | "blended" | "reduced";

/** One shader a way of drawing: what is not used costs nothing, which software rendering would feel. */
export type Variant = {
  readonly combining: "picture" | "map" | "difference" | "size of difference";
  /** By slot; null where nothing is read. */
  readonly sampling: readonly (Sampling | null)[];
  readonly lifted: boolean;
  readonly channel: number;
};

const PLAIN = `
vec4 toDisplay(vec4 light) {
  vec3 part = clamp(light.rgb, 0.0, 1.0);
  return vec4(mix(12.92 * part, 1.055 * pow(part, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, part)), 1.0);
}`;

export function variantKey(variant: Variant): string {
  return JSON.stringify(variant);
}

/** The fragment shader of a variant; `transform` is what OpenColorIO wrote, empty for plain sRGB. */
export function fragment(variant: Variant, transform: string, tile: number): string {
  const { sampling, combining } = variant;
  const readers = sampling.map((how, slot) =>
    how ? reader(slot, how, combining === "map" && slot === 2) : "",
  );
  return `#version 300 es
precision highp float;
precision highp int;
precision highp sampler2D;
precision highp sampler3D;
precision highp sampler2DArray;
precision highp usampler2D;
uniform sampler2DArray tiles;
uniform usampler2D pages;       // by number of tile: its layer + 1 (0: none is there), and how many levels coarser that is
uniform ivec4 level[${SLOTS}];  // of the level in use: number of its first tile, tiles across, width, height
uniform vec3 place[${SLOTS}];   // level pixels per frame pixel across and down, device pixels per level pixel
uniform vec4 pane;              // left, bottom, width, height in device pixels
uniform vec3 view;              // the frame's point in the middle, device pixels per frame pixel
uniform float gain;             // 2 to the power of the exposure
uniform float lift;             // of the shadows, in stops
uniform float surround;         // display value of the neutral surround
uniform vec2 mapRange;          // a map's values at the ends of the scale, or the difference's
uniform vec3 stops[7];          // the scale's colours, from low to high
out vec4 colour;

const vec3 LUMA = vec3(0.2126, 0.7152, 0.0722);
const int TILE_BITS = ${Math.log2(tile)};
const float DARK = 0.05;
${transform || PLAIN}

uvec2 pageOf(ivec4 of, ivec2 tile) {
  int number = of.x + tile.y * of.y + tile.x;
  return texelFetch(pages, ivec2(number & ${PAGES_ACROSS - 1}, number >> ${Math.log2(PAGES_ACROSS)}), 0).rg;
}

// Alpha: the share that is valid, or below 0 while nothing of it is there.
vec4 texel(ivec4 of, ivec2 at) {
  at = clamp(at, ivec2(0), of.zw - 1);
  uvec2 page = pageOf(of, at >> TILE_BITS);
  if (page.r == 0u) return vec4(0.0, 0.0, 0.0, -1.0);
  return texelFetch(tiles, ivec3((at >> int(page.g)) & ${tile - 1}, int(page.r) - 1), 0);
}
${readers.join("\n")}

bool broken(vec4 value) { return value.a < 0.9995 || any(isnan(value)); }

// Dark light is multiplied by up to 2 to the power of the lift, bright light hardly at all; darker stays darker up to 5 stops.
vec3 lifted(vec3 light) {
  float luminance = max(dot(light, LUMA), 0.0);
  return light * exp2(lift * DARK / (DARK + luminance));
}

vec3 display(vec3 light) {
  ${CHANNEL[variant.channel] ?? ""}
  light *= gain;
  ${variant.lifted ? "light = lifted(light);" : ""}
  return clamp(toDisplay(vec4(light, 1.0)).rgb, 0.0, 1.0);
}

vec3 scaled(float value) {
  float at = clamp((value - mapRange.x) / (mapRange.y - mapRange.x), 0.0, 1.0) * 6.0;
  int below = int(min(floor(at), 5.0));
  return mix(stops[below], stops[below + 1], at - float(below));
}

void main() {
  vec2 inPane = gl_FragCoord.xy - pane.xy;
  vec2 fromTop = vec2(inPane.x, pane.w - inPane.y);
  vec2 at = view.xy + (fromTop - pane.zw * 0.5) / view.z;
  ${COMBINED[combining](sampling)}
  if (broken(value)) {
    float hatch = step(0.5, fract((fromTop.x + fromTop.y) / 6.0));
    shown = value.a < 0.0 ? vec3(surround) : mix(vec3(0.0), vec3(1.0, 0.0, 1.0), hatch);
  }
  colour = vec4(shown, 1.0);
}`;
}

const CHANNEL: Record<number, string> = {
  1: "light = light.rrr;",
  2: "light = light.ggg;",
  3: "light = light.bbb;",
  4: "light = vec3(dot(light, LUMA));",
};

type Samplings = Variant["sampling"];
const COMBINED: Record<Variant["combining"], (sampling: Samplings) => string> = {
  picture: (sampling) => `${side(0, sampling, "value")} vec3 shown = display(value.rgb);`,
  map: () => "vec4 value = slot2(at); vec3 shown = scaled(value.r);",
  difference: (sampling) => differing(sampling, "change"),
  "size of difference": (sampling) => differing(sampling, "abs(change)"),
};

function side(slot: 0 | 1, sampling: Samplings, name: string): string {
  const over = sampling[4 + slot]
    ? ` { vec4 over = slot${4 + slot}(at); ${name} = vec4(${name}.rgb * over.rgb, min(${name}.a, over.a)); }`
    : "";
  return `vec4 ${name} = slot${slot}(at);${over}`;
}

function differing(sampling: Samplings, shown: string): string {
  return `${side(0, sampling, "value")} ${side(1, sampling, "other")}
  float change = dot(other.rgb - value.rgb, LUMA);
  value.a = min(value.a, other.a);
  vec3 shown = scaled(${shown});
  if (isnan(change)) value.a = 0.0;`;
}

/** A function that reads a slot at a place of the frame. A map's enlarged pixels each keep their own value. */
function reader(slot: number, how: Sampling, map: boolean): string {
  const start = `vec4 slot${slot}(vec2 inFrame) {
  const int S = ${slot};
  ivec4 of = level[S];
  vec2 own = inFrame * place[S].xy;`;
  const sampling = map && how !== "reduced" ? "nearest" : how;
  return `${start}${READING[sampling]}
}`;
}

const READING: Record<Sampling, string> = {
  nearest: `
  return texel(of, ivec2(floor(own)));`,
  blended: `
  vec2 corner = own - 0.5;
  vec2 base = floor(corner);
  vec2 blend = corner - base;
  ivec2 low = ivec2(base);
  vec4 upper = mix(texel(of, low), texel(of, low + ivec2(1, 0)), blend.x);
  vec4 lower = mix(texel(of, low + ivec2(0, 1)), texel(of, low + ivec2(1, 1)), blend.x);
  return mix(upper, lower, blend.y);`,
  reduced: `
  vec2 reach = vec2(0.25 / place[S].z, 0.0);
  return 0.25 * (texel(of, ivec2(floor(own + reach.xx))) + texel(of, ivec2(floor(own - reach.xx)))
    + texel(of, ivec2(floor(own + vec2(reach.x, -reach.x)))) + texel(of, ivec2(floor(own + vec2(-reach.x, reach.x)))));`,
};
