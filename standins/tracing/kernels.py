"""Compiled building blocks: random numbers, nearest hit, patterns and directions."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

SPHERE, RECTANGLE = 0, 1
MATTE, METAL, GLASS, GLOW = 0, 1, 2, 3
# columns of material_data: how maps are laid (axis across, axis up, metres a tile, metres of relief, where the first
# tile begins), then for each map its first byte, width (0: no such map), height, channels, bytes a value, for looking
LAID, COLOUR_MAP, MASK_MAP, ROUGHNESS_MAP, RELIEF_MAP, COLUMNS = 4, 10, 16, 22, 28, 34
MAPPED = 3.0
FAR = 1e30
NEAR = 1e-5

# linear value of each byte of a colour map, by the sRGB curve (IEC 61966-2-1)
_BYTES = np.arange(256) / 255.0
FOR_LOOKING = np.where(_BYTES <= 0.04045, _BYTES / 12.92, ((_BYTES + 0.055) / 1.055) ** 2.4)

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MIX_A = np.uint64(0xBF58476D1CE4E5B9)
_MIX_B = np.uint64(0x94D049BB133111EB)
_S30, _S27, _S31, _S11 = np.uint64(30), np.uint64(27), np.uint64(31), np.uint64(11)


@njit(cache=True, error_model="numpy")
def mixed(value):
    """SplitMix64's finaliser (Steele et al. 2014)."""
    value = (value ^ (value >> _S30)) * _MIX_A
    value = (value ^ (value >> _S27)) * _MIX_B
    return value ^ (value >> _S31)


@njit(cache=True, error_model="numpy")
def stream_of(seed, pixel, sample):
    """State of one pixel's and sample's own stream: the same at any number of threads."""
    state = mixed(np.uint64(seed) + _GOLDEN)
    state = mixed(state ^ (np.uint64(pixel) * _GOLDEN))
    return mixed(state ^ (np.uint64(sample) * _MIX_A))


@njit(cache=True, error_model="numpy")
def uniform(state):
    """Next state and a number in [0, 1)."""
    state = state + _GOLDEN
    return state, np.float64(mixed(state) >> _S11) * (1.0 / 9007199254740992.0)


@njit(cache=True, error_model="numpy")
def box_distance(bounds, node, ox, oy, oz, ix, iy, iz, limit):
    """Distance to a node's box along the ray, or FAR when it is missed or beyond the limit."""
    t1 = (bounds[node, 0] - ox) * ix
    t2 = (bounds[node, 3] - ox) * ix
    low, high = min(t1, t2), max(t1, t2)
    t1 = (bounds[node, 1] - oy) * iy
    t2 = (bounds[node, 4] - oy) * iy
    low, high = max(low, min(t1, t2)), min(high, max(t1, t2))
    t1 = (bounds[node, 2] - oz) * iz
    t2 = (bounds[node, 5] - oz) * iz
    low, high = max(low, min(t1, t2)), min(high, max(t1, t2))
    if high < max(low, 0.0) or low > limit:
        return FAR
    return low


@njit(cache=True, error_model="numpy")
def shape_distance(kind, data, shape, ox, oy, oz, dx, dy, dz):
    """Distance along the ray to one shape, or FAR."""
    if kind[shape] == SPHERE:
        cx, cy, cz = ox - data[shape, 0], oy - data[shape, 1], oz - data[shape, 2]
        b = cx * dx + cy * dy + cz * dz
        disc = b * b - (cx * cx + cy * cy + cz * cz - data[shape, 3] * data[shape, 3])
        if disc < 0.0:
            return FAR
        root = math.sqrt(disc)
        if -b - root > NEAR:
            return -b - root
        if -b + root > NEAR:
            return -b + root
        return FAR
    nx, ny, nz = data[shape, 9], data[shape, 10], data[shape, 11]
    along = dx * nx + dy * ny + dz * nz
    if abs(along) < 1e-12:
        return FAR
    rx, ry, rz = data[shape, 0] - ox, data[shape, 1] - oy, data[shape, 2] - oz
    t = (rx * nx + ry * ny + rz * nz) / along
    if t <= NEAR:
        return FAR
    px, py, pz = t * dx - rx, t * dy - ry, t * dz - rz
    a = (px * data[shape, 3] + py * data[shape, 4] + pz * data[shape, 5]) * data[shape, 12]
    b = (px * data[shape, 6] + py * data[shape, 7] + pz * data[shape, 8]) * data[shape, 13]
    if a < 0.0 or a > 1.0 or b < 0.0 or b > 1.0:
        return FAR
    return t


@njit(cache=True, error_model="numpy")
def _inverse(value):
    if abs(value) < 1e-15:
        return 1e15 if value >= 0.0 else -1e15
    return 1.0 / value


@njit(cache=True, error_model="numpy")
def nearest_hit(scene, ox, oy, oz, dx, dy, dz, limit, any_hit, stack):
    """Nearest shape along the ray before `limit`: (distance, shape) or (FAR, -1); with `any_hit` the first found."""
    ix, iy, iz = _inverse(dx), _inverse(dy), _inverse(dz)
    bounds, links = scene.node_bounds, scene.node_links
    kind, data, order = scene.shape_kind, scene.shape_data, scene.order
    best, found = limit, -1
    stack[0] = 0
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        count = links[node, 1]
        if count > 0:
            first = links[node, 0]
            for k in range(first, first + count):
                shape = order[k]
                t = shape_distance(kind, data, shape, ox, oy, oz, dx, dy, dz)
                if t < best:
                    best, found = t, shape
                    if any_hit:
                        return best, found
            continue
        one, two = links[node, 0], links[node, 2]
        near = box_distance(bounds, one, ox, oy, oz, ix, iy, iz, best)
        far = box_distance(bounds, two, ox, oy, oz, ix, iy, iz, best)
        if near > far:
            one, two, near, far = two, one, far, near
        if far < FAR:
            stack[top] = two
            top += 1
        if near < FAR:
            stack[top] = one
            top += 1
    return (best, found) if found >= 0 else (FAR, -1)


@njit(cache=True, error_model="numpy")
def texel(scene, material, at, column, row, channel):
    """One stored value of a map, 0 to 1, linear; the map goes on without end in both directions."""
    data = scene.material_data
    width, height = int(data[material, at + 1]), int(data[material, at + 2])
    channels, size = int(data[material, at + 3]), int(data[material, at + 4])
    place = (row % height) * width + column % width
    first = int(data[material, at]) + (place * channels + min(channel, channels - 1)) * size
    if size == 2:
        return (scene.texels[first] + 256.0 * scene.texels[first + 1]) / 65535.0
    value = np.float64(scene.texels[first])
    return FOR_LOOKING[scene.texels[first]] if data[material, at + 5] > 0.0 else value / 255.0


@njit(cache=True, error_model="numpy")
def map_at(scene, material, at, u, v, channel):
    """A material's map between its four nearest texels; u and v in tiles, v upward."""
    x = u * scene.material_data[material, at + 1] - 0.5
    y = (1.0 - v) * scene.material_data[material, at + 2] - 0.5
    column, row = math.floor(x), math.floor(y)
    right, below = x - column, y - row
    upper = (1.0 - right) * texel(scene, material, at, column, row, channel)
    upper += right * texel(scene, material, at, column + 1, row, channel)
    lower = (1.0 - right) * texel(scene, material, at, column, row + 1, channel)
    lower += right * texel(scene, material, at, column + 1, row + 1, channel)
    return (1.0 - below) * upper + below * lower


@njit(cache=True, error_model="numpy")
def tile_place(scene, material, px, py, pz):
    """Where a point lies on the material's maps, in tiles: seen along the axis that is left out, never turned."""
    laid = scene.material_data[material]
    across, up = laid[LAID], laid[LAID + 1]
    u = px if across == 0.0 else (py if across == 1.0 else pz)
    v = px if up == 0.0 else (py if up == 1.0 else pz)
    return (u - laid[LAID + 4]) / laid[LAID + 2], (v - laid[LAID + 5]) / laid[LAID + 2]


@njit(cache=True, error_model="numpy")
def relieved(scene, material, px, py, pz, nx, ny, nz):
    """A normal tilted by the slope of the material's relief."""
    at = RELIEF_MAP
    laid = scene.material_data[material]
    u, v = tile_place(scene, material, px, py, pz)
    step_u, step_v = 0.5 / laid[at + 1], 0.5 / laid[at + 2]
    depth = laid[LAID + 3] / laid[LAID + 2]
    along_u = map_at(scene, material, at, u + step_u, v, 0) - map_at(scene, material, at, u - step_u, v, 0)
    along_v = map_at(scene, material, at, u, v + step_v, 0) - map_at(scene, material, at, u, v - step_v, 0)
    along_u, along_v = along_u / (2 * step_u) * depth, along_v / (2 * step_v) * depth
    across, up = laid[LAID], laid[LAID + 1]
    gx = (along_u if across == 0.0 else 0.0) + (along_v if up == 0.0 else 0.0)
    gy = (along_u if across == 1.0 else 0.0) + (along_v if up == 1.0 else 0.0)
    gz = (along_u if across == 2.0 else 0.0) + (along_v if up == 2.0 else 0.0)
    straight = gx * nx + gy * ny + gz * nz
    nx, ny, nz = nx - (gx - straight * nx), ny - (gy - straight * ny), nz - (gz - straight * nz)
    length = math.sqrt(nx * nx + ny * ny + nz * nz)
    return nx / length, ny / length, nz / length


@njit(cache=True, error_model="numpy")
def normal_at(scene, shape, px, py, pz):
    """Outward unit normal of a shape at a point on it, tilted where its material has a relief."""
    data = scene.shape_data
    nx, ny, nz = data[shape, 9], data[shape, 10], data[shape, 11]
    if scene.shape_kind[shape] == SPHERE:
        inverse = 1.0 / data[shape, 3]
        nx, ny, nz = (px - data[shape, 0]) * inverse, (py - data[shape, 1]) * inverse, (pz - data[shape, 2]) * inverse
    material = scene.shape_material[shape]
    if scene.material_data[material, RELIEF_MAP + 1] > 0.0:
        return relieved(scene, material, px, py, pz, nx, ny, nz)
    return nx, ny, nz


@njit(cache=True, error_model="numpy")
def roughness_at(scene, material, px, py, pz):
    """A metal's roughness at a point."""
    if scene.material_data[material, ROUGHNESS_MAP + 1] == 0.0:
        return scene.material_data[material, 0]
    u, v = tile_place(scene, material, px, py, pz)
    return max(map_at(scene, material, ROUGHNESS_MAP, u, v, 0), 0.02)


@njit(cache=True, error_model="numpy")
def mapped_colour(scene, material, px, py, pz):
    """The colour of a material with a colour map or a mask that mixes two colours."""
    first, second, data = scene.material_colour, scene.material_second, scene.material_data
    r, g, b = first[material, 0], first[material, 1], first[material, 2]
    u, v = tile_place(scene, material, px, py, pz)
    at = COLOUR_MAP
    if data[material, at + 1] > 0.0:
        r, g, b = (
            map_at(scene, material, at, u, v, 0),
            map_at(scene, material, at, u, v, 1),
            map_at(scene, material, at, u, v, 2),
        )
    if data[material, MASK_MAP + 1] > 0.0:
        share = map_at(scene, material, MASK_MAP, u, v, 0)
        r += share * (second[material, 0] - r)
        g += share * (second[material, 1] - g)
        b += share * (second[material, 2] - b)
    return r, g, b


@njit(cache=True, error_model="numpy")
def colour_at(scene, material, px, py, pz):
    """A material's colour at a point: plain, striped, checked, or of its maps."""
    pattern = scene.material_data[material, 1]
    first = True
    if pattern == MAPPED:
        return mapped_colour(scene, material, px, py, pz)
    if pattern > 0.0:
        width = scene.material_data[material, 3]
        axis = scene.material_data[material, 2]
        along = px if axis == 0.0 else (py if axis == 1.0 else pz)
        cells = math.floor(along / width)
        if pattern == 2.0:
            cells = math.floor(px / width) + math.floor(py / width) + math.floor(pz / width)
        first = cells % 2.0 == 0.0
    table = scene.material_colour if first else scene.material_second
    return table[material, 0], table[material, 1], table[material, 2]


@njit(cache=True, error_model="numpy")
def sky_at(scene, dy):
    """Radiance of the sky in a direction of height `dy`."""
    up = max(dy, 0.0)
    down = 1.0 - up
    sky = scene.sky
    return (
        sky[0, 0] * down + sky[1, 0] * up,
        sky[0, 1] * down + sky[1, 1] * up,
        sky[0, 2] * down + sky[1, 2] * up,
    )


@njit(cache=True, error_model="numpy")
def across(nx, ny, nz):
    """Two unit vectors square to a unit normal (Duff et al. 2017)."""
    sign = 1.0 if nz >= 0.0 else -1.0
    a = -1.0 / (sign + nz)
    b = nx * ny * a
    return 1.0 + sign * nx * nx * a, sign * b, -sign * nx, b, sign + ny * ny * a, -ny
