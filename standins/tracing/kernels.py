"""Compiled building blocks: random numbers, nearest hit, patterns and directions."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

SPHERE, RECTANGLE = 0, 1
MATTE, METAL, GLASS, GLOW = 0, 1, 2, 3
FAR = 1e30
NEAR = 1e-5

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
def normal_at(scene, shape, px, py, pz):
    """Outward unit normal of a shape at a point on it."""
    data = scene.shape_data
    if scene.shape_kind[shape] == SPHERE:
        inverse = 1.0 / data[shape, 3]
        return (px - data[shape, 0]) * inverse, (py - data[shape, 1]) * inverse, (pz - data[shape, 2]) * inverse
    return data[shape, 9], data[shape, 10], data[shape, 11]


@njit(cache=True, error_model="numpy")
def colour_at(scene, material, px, py, pz):
    """A material's colour at a point: plain, striped, or checked."""
    pattern = scene.material_data[material, 1]
    first = True
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
