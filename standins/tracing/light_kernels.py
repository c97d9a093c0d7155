"""Compiled: picking a light, a place on it, and how dense that choice is."""

from __future__ import annotations

import math

from numba import njit

from standins.tracing.kernels import SPHERE, across

PICK_UNIFORM, PICK_POWER, PICK_ESTIMATE = 0, 1, 2


@njit(cache=True, error_model="numpy")
def luminance(r, g, b):
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


@njit(cache=True, error_model="numpy")
def light_weight(places, powers, light, picking, px, py, pz, nx, ny, nz):
    """How often a light is picked, before normalising."""
    if picking == PICK_UNIFORM:
        return 1.0
    if picking == PICK_POWER:
        return powers[light]
    cx, cy, cz, reach = places[light, 0] - px, places[light, 1] - py, places[light, 2] - pz, places[light, 3]
    squared = max(cx * cx + cy * cy + cz * cz, reach * reach, 1e-8)
    facing = (cx * nx + cy * ny + cz * nz) / math.sqrt(squared)
    # a light below the horizon of the surface may still peep over it, so it keeps a small chance
    return powers[light] / squared * max(facing, 0.02)


@njit(cache=True, error_model="numpy")
def pick_light(places, powers, picking, choice, px, py, pz, nx, ny, nz):
    """Picked light, its probability, and the sum of all weights at this place; the one number is used up bit by bit."""
    count = powers.shape[0]
    if picking == PICK_UNIFORM:
        return min(int(choice * count), count - 1), 1.0 / count, float(count)
    total, picked, picked_weight = 0.0, 0, 0.0
    for light in range(count):
        weight = light_weight(places, powers, light, picking, px, py, pz, nx, ny, nz)
        total += weight
        chance = weight / total if total > 0.0 else 1.0
        if choice < chance:
            picked, picked_weight = light, weight
            choice = choice / chance
        else:
            choice = (choice - chance) / (1.0 - chance)
    return picked, picked_weight / total, total


@njit(cache=True, error_model="numpy")
def toward_light(scene, shape, u, v, px, py, pz):
    """Direction to a place on a light, distance to it, and the density per solid angle (0 when it cannot be seen)."""
    data = scene.shape_data
    if scene.shape_kind[shape] == SPHERE:
        cx, cy, cz, radius = data[shape, 0] - px, data[shape, 1] - py, data[shape, 2] - pz, data[shape, 3]
        squared = cx * cx + cy * cy + cz * cz
        if squared <= radius * radius * 1.0001:
            return 0.0, 1.0, 0.0, 0.0, 0.0
        distance = math.sqrt(squared)
        cos_edge = math.sqrt(max(0.0, 1.0 - radius * radius / squared))
        cos_t = 1.0 - u * (1.0 - cos_edge)
        sin_t = math.sqrt(max(0.0, 1.0 - cos_t * cos_t))
        cx, cy, cz = cx / distance, cy / distance, cz / distance
        ax, ay, az, bx, by, bz = across(cx, cy, cz)
        ca, sa = math.cos(2 * math.pi * v) * sin_t, math.sin(2 * math.pi * v) * sin_t
        dx, dy, dz = ax * ca + bx * sa + cx * cos_t, ay * ca + by * sa + cy * cos_t, az * ca + bz * sa + cz * cos_t
        along = distance * cos_t
        near = along - math.sqrt(max(0.0, radius * radius - squared * sin_t * sin_t))
        return dx, dy, dz, near, 1.0 / (2 * math.pi * (1.0 - cos_edge))
    qx = data[shape, 0] + u * data[shape, 3] + v * data[shape, 6] - px
    qy = data[shape, 1] + u * data[shape, 4] + v * data[shape, 7] - py
    qz = data[shape, 2] + u * data[shape, 5] + v * data[shape, 8] - pz
    squared = qx * qx + qy * qy + qz * qz
    distance = math.sqrt(squared)
    qx, qy, qz = qx / distance, qy / distance, qz / distance
    density = light_density(scene, shape, px, py, pz, qx, qy, qz, distance)
    return qx, qy, qz, distance, density


@njit(cache=True, error_model="numpy")
def light_density(scene, shape, px, py, pz, dx, dy, dz, distance):
    """Density per solid angle with which `toward_light` would have found this direction."""
    data = scene.shape_data
    if scene.shape_kind[shape] == SPHERE:
        cx, cy, cz, radius = data[shape, 0] - px, data[shape, 1] - py, data[shape, 2] - pz, data[shape, 3]
        squared = cx * cx + cy * cy + cz * cz
        if squared <= radius * radius * 1.0001:
            return 0.0
        return 1.0 / (2 * math.pi * (1.0 - math.sqrt(1.0 - radius * radius / squared)))
    facing = abs(dx * data[shape, 9] + dy * data[shape, 10] + dz * data[shape, 11])
    if facing < 1e-6:
        return 0.0
    return distance * distance * math.sqrt(data[shape, 12] * data[shape, 13]) / facing


@njit(cache=True, error_model="numpy")
def metal_lobe(alpha, nx, ny, nz, vx, vy, vz, lx, ly, lz):
    """GGX reflection times cosine, without colour, and its density; v and l point away from the surface."""
    n_v, n_l = nx * vx + ny * vy + nz * vz, nx * lx + ny * ly + nz * lz
    if n_v <= 0.0 or n_l <= 0.0:
        return 0.0, 0.0, 0.0
    hx, hy, hz = vx + lx, vy + ly, vz + lz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx / length, hy / length, hz / length
    n_h, v_h = nx * hx + ny * hy + nz * hz, vx * hx + vy * hy + vz * hz
    a2 = alpha * alpha
    d = n_h * n_h * (a2 - 1.0) + 1.0
    spread = a2 / (math.pi * d * d)
    shade = n_l * math.sqrt(n_v * n_v * (1 - a2) + a2) + n_v * math.sqrt(n_l * n_l * (1 - a2) + a2)
    return spread * n_l / (2.0 * shade), spread * n_h / (4.0 * v_h), (1.0 - v_h) ** 5


@njit(cache=True, error_model="numpy")
def clamped(r, g, b, limit):
    """The colour, scaled so that its luminance is at most `limit`; 0 means no limit."""
    y = luminance(r, g, b)
    if limit <= 0.0 or y <= limit:
        return r, g, b
    scale = limit / y
    return r * scale, g * scale, b * scale


@njit(cache=True, error_model="numpy")
def mist_span(mist, ox, oy, oz, dx, dy, dz, reach):
    """Where along the ray, up to `reach`, the mist begins and ends; (0, 0) when the ray misses it."""
    begin, end = 0.0, reach
    for axis in range(3):
        o = ox if axis == 0 else (oy if axis == 1 else oz)
        d = dx if axis == 0 else (dy if axis == 1 else dz)
        low, high = mist[2 + axis], mist[5 + axis]
        if abs(d) < 1e-12:
            if o < low or o > high:
                return 0.0, 0.0
            continue
        t1, t2 = (low - o) / d, (high - o) / d
        begin, end = max(begin, min(t1, t2)), min(end, max(t1, t2))
    return (begin, end) if end > begin else (0.0, 0.0)


@njit(cache=True, error_model="numpy")
def passed_mist(mist, ox, oy, oz, dx, dy, dz, reach):
    """Share of light that comes through the mist unscattered over this length."""
    if mist[0] <= 0.0:
        return 1.0
    begin, end = mist_span(mist, ox, oy, oz, dx, dy, dz, reach)
    return math.exp(-mist[0] * (end - begin))
