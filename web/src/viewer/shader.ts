/** Draws one pane: which picture a fragment shows, one exposure for both, then a view transform or sRGB, clipped. */
export const VERTEX = `#version 300 es
void main() {
  vec2 corner = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0;
  gl_Position = vec4(corner, 0.0, 1.0);
}`;

export const FRAGMENT = `#version 300 es
precision highp float;
precision highp sampler2D;
uniform sampler2D control, trial;
uniform vec4 pane;        // left, bottom, width, height in device pixels
uniform vec3 view;        // picture's point in the middle, device pixels per picture pixel
uniform vec4 line;        // a point on it in device pixels from the pane's top left, and the direction to the trial
uniform int mode;         // 0 divided, 1 control, 2 trial, 3 difference
uniform float gain;       // 2 to the power of the exposure
uniform float range;      // luminance difference at the ends of the scale
uniform float surround;   // display value of the neutral surround
uniform bool baked;       // whether a view transform's table is used instead of plain sRGB
uniform highp sampler3D table;
uniform vec3 shaper;      // of the table: size, lowest stop, stops
uniform sampler2D controlMap, trialMap;
uniform bvec2 mapped;     // whether a map is drawn in the control's and in the trial's place
uniform vec2 mapRange;    // its values at the ends of the scale
uniform vec3 stops[7];    // its colours, from low to high
out vec4 colour;

const vec3 LUMA = vec3(0.2126, 0.7152, 0.0722);

vec4 texel(sampler2D picture, ivec2 at, ivec2 size) {
  return texelFetch(picture, clamp(at, ivec2(0), size - 1), 0);
}

// Enlarged pixels stay square with edges one screen pixel soft; reduced pictures are averaged over what a screen pixel covers.
vec4 pictureAt(sampler2D picture, vec2 at, ivec2 size, float zoom) {
  if (zoom < 1.0) {
    int taps = int(min(ceil(1.0 / zoom), 8.0));
    vec4 sum = vec4(0.0);
    for (int y = 0; y < taps; y++)
      for (int x = 0; x < taps; x++) {
        vec2 offset = (vec2(x, y) + 0.5) / float(taps) - 0.5;
        sum += texel(picture, ivec2(floor(at + offset / zoom)), size);
      }
    return sum / float(taps * taps);
  }
  vec2 corner = at - 0.5;
  vec2 base = floor(corner);
  vec2 blend = clamp((corner - base - 0.5) * zoom + 0.5, 0.0, 1.0);
  ivec2 low = ivec2(base);
  vec4 upper = mix(texel(picture, low, size), texel(picture, low + ivec2(1, 0), size), blend.x);
  vec4 lower = mix(texel(picture, low + ivec2(0, 1), size), texel(picture, low + ivec2(1, 1), size), blend.x);
  if (blend.x == 0.0) { upper = texel(picture, low, size); lower = texel(picture, low + ivec2(0, 1), size); }
  if (blend.y == 0.0) return upper;
  if (blend.y == 1.0) return lower;
  return mix(upper, lower, blend.y);
}

bool broken(vec4 value) { return value.a < 1.0 || any(isnan(value)); }

vec3 lookedUp(vec3 light) {
  vec3 stops = log2(max(light, 0.0) + exp2(shaper.y));
  vec3 place = clamp((stops - shaper.y) / shaper.z, 0.0, 1.0);
  return texture(table, (place * (shaper.x - 1.0) + 0.5) / shaper.x).rgb;
}

vec3 display(vec3 linear) {
  if (baked) return lookedUp(linear * gain);
  vec3 light = clamp(linear * gain, 0.0, 1.0);
  return mix(12.92 * light, 1.055 * pow(light, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, light));
}

// From the control's blue through neutral grey to the trial's orange, even in lightness on both sides.
vec3 differenceScale(float t) {
  vec3 middle = vec3(0.93);
  vec3 below = mix(vec3(0.45, 0.62, 0.85), vec3(0.05, 0.22, 0.45), clamp(-t * 2.0 - 1.0, 0.0, 1.0));
  vec3 above = mix(vec3(0.93, 0.62, 0.36), vec3(0.45, 0.17, 0.0), clamp(t * 2.0 - 1.0, 0.0, 1.0));
  return t < 0.0 ? mix(middle, below, min(-t * 2.0, 1.0)) : mix(middle, above, min(t * 2.0, 1.0));
}

vec3 mapScale(float value) {
  float place = clamp((value - mapRange.x) / (mapRange.y - mapRange.x), 0.0, 1.0) * 6.0;
  int below = int(min(floor(place), 5.0));
  return mix(stops[below], stops[below + 1], place - float(below));
}

// A map's value is never blended between pixels: each pixel keeps its own. Reduced, the mean of what it covers.
float mapAt(sampler2D map, vec2 at, float zoom) {
  ivec2 size = textureSize(map, 0);
  if (zoom >= 1.0) return texel(map, ivec2(floor(at)), size).r;
  int taps = int(min(ceil(1.0 / zoom), 8.0));
  float sum = 0.0;
  for (int y = 0; y < taps; y++)
    for (int x = 0; x < taps; x++) {
      vec2 offset = (vec2(x, y) + 0.5) / float(taps) - 0.5;
      sum += texel(map, ivec2(floor(at + offset / zoom)), size).r;
    }
  return sum / float(taps * taps);
}

void main() {
  vec2 inPane = gl_FragCoord.xy - pane.xy;
  vec2 fromTop = vec2(inPane.x, pane.w - inPane.y);
  vec2 at = view.xy + (fromTop - pane.zw * 0.5) / view.z;
  bool trialSide = mode == 2 || (mode == 0 && dot(fromTop - line.xy, line.zw) >= 0.0);
  ivec2 size = textureSize(control, 0);
  // half a screen pixel of tolerance, so that rounding never shaves a row off the edge
  vec2 margin = vec2(1e-3);
  if (any(lessThan(at, -margin)) || any(greaterThan(at, vec2(size) + margin))) {
    colour = vec4(vec3(surround), 1.0);
    return;
  }
  // a trial of another size is shown at the control's: its own place and pixels per screen pixel
  ivec2 trialSize = textureSize(trial, 0);
  vec2 ratio = vec2(trialSize) / vec2(size);
  vec2 own = at * ratio;
  float ownZoom = view.z / ratio.x;
  vec4 value = trialSide ? pictureAt(trial, own, trialSize, ownZoom) : pictureAt(control, at, size, view.z);
  bool invalid = broken(value);
  vec3 shown = display(value.rgb);
  if (mode == 3) {
    vec4 other = pictureAt(trial, own, trialSize, ownZoom);
    invalid = invalid || broken(other);
    shown = differenceScale(clamp(dot(other.rgb - value.rgb, LUMA) / range, -1.0, 1.0));
  }
  if ((trialSide ? mapped.y : mapped.x) && mode != 3) {
    float there = trialSide ? mapAt(trialMap, own, ownZoom) : mapAt(controlMap, at, view.z);
    invalid = isnan(there);
    shown = mapScale(there);
  }
  if (invalid) {
    float hatch = step(0.5, fract((fromTop.x + fromTop.y) / 6.0));
    shown = mix(vec3(0.0), vec3(1.0, 0.0, 1.0), hatch);
  }
  colour = vec4(shown, 1.0);
}`;
