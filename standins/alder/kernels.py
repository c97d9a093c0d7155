"""Alder's path tracer: one sample of every pixel a call.

Light is found two ways, by sampling a light and by running into it, weighed by the power heuristic
(Veach & Guibas 1995). Rough metal follows the GGX distribution (Walter et al. 2007).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange

from standins.tracing.kernels import (
    FAR,
    GLASS,
    GLOW,
    METAL,
    SPHERE,
    across,
    colour_at,
    nearest_hit,
    normal_at,
    sky_at,
    stream_of,
    uniform,
)

PICK_UNIFORM, PICK_POWER, PICK_ESTIMATE = 0, 1, 2
STACK = 64


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
def radiance(scene, ox, oy, oz, dx, dy, dz, state, bounces, clamp, picking, stack):
    """Light arriving along one camera ray."""
    out_r, out_g, out_b = 0.0, 0.0, 0.0
    carry_r, carry_g, carry_b = 1.0, 1.0, 1.0
    density, weights = 0.0, 0.0  # of the last scattered direction; 0 after the camera, glass: light then counts whole
    from_x, from_y, from_z, from_nx, from_ny, from_nz = ox, oy, oz, 0.0, 0.0, 0.0
    places, powers = scene.light_place, scene.light_power
    scattered = 0
    for depth in range(bounces + 1):
        t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
        indirect = scattered >= 2 or (scattered == 1 and density == 0.0)
        if shape < 0:
            sr, sg, sb = sky_at(scene, dy)
            add_r, add_g, add_b = clamped(carry_r * sr, carry_g * sg, carry_b * sb, clamp if indirect else 0.0)
            return out_r + add_r, out_g + add_g, out_b + add_b
        px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
        material = scene.shape_material[shape]
        kind = scene.material_kind[material]
        cr, cg, cb = colour_at(scene, material, px, py, pz)
        if kind == GLOW:
            share = 1.0
            if density > 0.0:
                light = scene.shape_light[shape]
                other = light_density(scene, shape, from_x, from_y, from_z, dx, dy, dz, t)
                other *= (
                    light_weight(places, powers, light, picking, from_x, from_y, from_z, from_nx, from_ny, from_nz)
                    / weights
                )
                share = density * density / (density * density + other * other)
            add_r, add_g, add_b = clamped(
                carry_r * cr * share, carry_g * cg * share, carry_b * cb * share, clamp if indirect else 0.0
            )
            return out_r + add_r, out_g + add_g, out_b + add_b
        if depth == bounces:
            break
        nx, ny, nz = normal_at(scene, shape, px, py, pz)
        facing = dx * nx + dy * ny + dz * nz
        if kind == GLASS:
            inside = facing > 0.0
            if inside:
                nx, ny, nz = -nx, -ny, -nz
                carry_r *= math.exp(-cr * t)
                carry_g *= math.exp(-cg * t)
                carry_b *= math.exp(-cb * t)
            cos_in = abs(facing)
            index = scene.material_data[material, 0]
            ratio = index if inside else 1.0 / index
            sin2 = ratio * ratio * (1.0 - cos_in * cos_in)
            reflect = 1.0
            cos_out = 0.0
            if sin2 < 1.0:
                cos_out = math.sqrt(1.0 - sin2)
                across_s = (ratio * cos_in - cos_out) / (ratio * cos_in + cos_out)
                across_p = (cos_in - ratio * cos_out) / (cos_in + ratio * cos_out)
                reflect = 0.5 * (across_s * across_s + across_p * across_p)
            state, choice = uniform(state)
            if choice < reflect:
                dx, dy, dz = dx + 2 * cos_in * nx, dy + 2 * cos_in * ny, dz + 2 * cos_in * nz
            else:
                lean = ratio * cos_in - cos_out
                dx, dy, dz = ratio * dx + lean * nx, ratio * dy + lean * ny, ratio * dz + lean * nz
            length = math.sqrt(dx * dx + dy * dy + dz * dz)
            dx, dy, dz = dx / length, dy / length, dz / length
            ox, oy, oz = px, py, pz
            density = 0.0
            continue
        if facing > 0.0:
            nx, ny, nz = -nx, -ny, -nz
        ox, oy, oz = px + nx * 1e-5, py + ny * 1e-5, pz + nz * 1e-5
        vx, vy, vz = -dx, -dy, -dz
        alpha = scene.material_data[material, 0] ** 2
        scattered += 1
        weights = 1.0
        if scene.light_shape.shape[0] > 0:
            state, choice = uniform(state)
            light, chance, weights = pick_light(places, powers, picking, choice, ox, oy, oz, nx, ny, nz)
            lit = scene.light_shape[light]
            state, u = uniform(state)
            state, v = uniform(state)
            lx, ly, lz, reach, found = toward_light(scene, lit, u, v, ox, oy, oz)
            cosine = lx * nx + ly * ny + lz * nz
            if found > 0.0 and cosine > 0.0:
                value, other, fresnel = cosine / math.pi, cosine / math.pi, 0.0
                if kind == METAL:
                    value, other, fresnel = metal_lobe(alpha, nx, ny, nz, vx, vy, vz, lx, ly, lz)
                blocked = FAR
                if value > 0.0:
                    blocked, _shape = nearest_hit(scene, ox, oy, oz, lx, ly, lz, reach - 1e-4, True, stack)
                if value > 0.0 and blocked == FAR:
                    found *= chance
                    share = found / (found * found + other * other) * value
                    qx, qy, qz = ox + lx * reach, oy + ly * reach, oz + lz * reach
                    er, eg, eb = colour_at(scene, scene.shape_material[lit], qx, qy, qz)
                    add_r, add_g, add_b = clamped(
                        carry_r * er * share * (cr + (1.0 - cr) * fresnel),
                        carry_g * eg * share * (cg + (1.0 - cg) * fresnel),
                        carry_b * eb * share * (cb + (1.0 - cb) * fresnel),
                        clamp if scattered >= 2 else 0.0,
                    )
                    out_r += add_r
                    out_g += add_g
                    out_b += add_b
        state, u = uniform(state)
        state, v = uniform(state)
        ax, ay, az, bx, by_, bz = across(nx, ny, nz)
        if kind == METAL:
            cos_h = math.sqrt((1.0 - u) / (1.0 + (alpha * alpha - 1.0) * u))
            sin_h = math.sqrt(max(0.0, 1.0 - cos_h * cos_h))
            ca, sa = math.cos(2 * math.pi * v) * sin_h, math.sin(2 * math.pi * v) * sin_h
            hx, hy, hz = ax * ca + bx * sa + nx * cos_h, ay * ca + by_ * sa + ny * cos_h, az * ca + bz * sa + nz * cos_h
            v_h = vx * hx + vy * hy + vz * hz
            dx, dy, dz = 2 * v_h * hx - vx, 2 * v_h * hy - vy, 2 * v_h * hz - vz
            value, density, fresnel = metal_lobe(alpha, nx, ny, nz, vx, vy, vz, dx, dy, dz)
            if density <= 0.0:
                break
            scale = value / density
            carry_r *= scale * (cr + (1.0 - cr) * fresnel)
            carry_g *= scale * (cg + (1.0 - cg) * fresnel)
            carry_b *= scale * (cb + (1.0 - cb) * fresnel)
        else:
            radius, height = math.sqrt(u), math.sqrt(1.0 - u)
            ca, sa = math.cos(2 * math.pi * v) * radius, math.sin(2 * math.pi * v) * radius
            dx, dy, dz = (
                ax * ca + bx * sa + nx * height,
                ay * ca + by_ * sa + ny * height,
                az * ca + bz * sa + nz * height,
            )
            density = max(height / math.pi, 1e-9)
            carry_r *= cr
            carry_g *= cg
            carry_b *= cb
        from_x, from_y, from_z, from_nx, from_ny, from_nz = ox, oy, oz, nx, ny, nz
        if depth >= 3:
            keep = min(0.95, max(carry_r, carry_g, carry_b))
            state, choice = uniform(state)
            if choice >= keep:
                break
            carry_r, carry_g, carry_b = carry_r / keep, carry_g / keep, carry_b / keep
    return out_r, out_g, out_b


@njit(cache=True, error_model="numpy")
def clamped(r, g, b, limit):
    """The colour, scaled so that its luminance is at most `limit`; 0 means no limit."""
    y = luminance(r, g, b)
    if limit <= 0.0 or y <= limit:
        return r, g, b
    scale = limit / y
    return r * scale, g * scale, b * scale


@njit(cache=True, error_model="numpy", parallel=True)
def add_sample(scene, camera, picture, seed, sample, bounces, clamp, picking):
    """Add one sample to every pixel of `picture`, shape (H, W, 3), float64."""
    height, width = picture.shape[0], picture.shape[1]
    for row in prange(height):
        stack = np.empty(STACK, np.int64)
        for column in range(width):
            state = stream_of(seed, row * width + column, sample)
            state, jitter_x = uniform(state)
            state, jitter_y = uniform(state)
            sx = 2.0 * (column + jitter_x) / width - 1.0
            sy = 1.0 - 2.0 * (row + jitter_y) / height
            dx = camera[1, 0] + sx * camera[2, 0] + sy * camera[3, 0]
            dy = camera[1, 1] + sx * camera[2, 1] + sy * camera[3, 1]
            dz = camera[1, 2] + sx * camera[2, 2] + sy * camera[3, 2]
            length = math.sqrt(dx * dx + dy * dy + dz * dz)
            r, g, b = radiance(
                scene, camera[0, 0], camera[0, 1], camera[0, 2], dx / length, dy / length, dz / length,
                state, bounces, clamp, picking, stack,
            )  # fmt: skip
            picture[row, column, 0] += r
            picture[row, column, 1] += g
            picture[row, column, 2] += b
