"""Sorrel, compiled: photons from the lights through glass and off smooth metal, and their density at a place."""

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
    colour_at,
    nearest_hit,
    normal_at,
    roughness_at,
    stream_of,
    uniform,
)
from standins.tracing.light_kernels import PICK_POWER, passed_mist, pick_light
from standins.tracing.path_kernels import SMOOTH, STACK, matte_direction, off_metal, refracted


@njit(cache=True, error_model="numpy")
def leaving_light(scene, state, share):
    """Start of a photon: place, direction, and its flux when a light's whole flux is split by `share`."""
    state, choice = uniform(state)
    state, u = uniform(state)
    state, v = uniform(state)
    light, chance, _ = pick_light(
        scene.light_place, scene.light_power, PICK_POWER, choice, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    )
    shape = scene.light_shape[light]
    data = scene.shape_data
    if scene.shape_kind[shape] == SPHERE:
        height = 1.0 - 2.0 * u
        radius = math.sqrt(max(0.0, 1.0 - height * height))
        nx, ny, nz = math.cos(2 * math.pi * v) * radius, height, math.sin(2 * math.pi * v) * radius
        size = data[shape, 3]
        px, py, pz = data[shape, 0] + nx * size, data[shape, 1] + ny * size, data[shape, 2] + nz * size
        area = 4.0 * math.pi * size * size
    else:
        px = data[shape, 0] + u * data[shape, 3] + v * data[shape, 6]
        py = data[shape, 1] + u * data[shape, 4] + v * data[shape, 7]
        pz = data[shape, 2] + u * data[shape, 5] + v * data[shape, 8]
        state, side = uniform(state)
        sign = 1.0 if side < 0.5 else -1.0
        nx, ny, nz = sign * data[shape, 9], sign * data[shape, 10], sign * data[shape, 11]
        area = 2.0 / math.sqrt(data[shape, 12] * data[shape, 13])
    r, g, b = colour_at(scene, scene.shape_material[shape], px, py, pz)
    scale = math.pi * area / chance * share
    state, u = uniform(state)
    state, v = uniform(state)
    dx, dy, dz, _cosine = matte_direction(nx, ny, nz, u, v)
    return state, px + nx * 1e-5, py + ny * 1e-5, pz + nz * 1e-5, dx, dy, dz, r * scale, g * scale, b * scale


@njit(cache=True, error_model="numpy", parallel=True)
def carry_photons(scene, photons, seed, bounces):
    """Fill `photons` (n, 10): where a focused photon landed, from where it came, its flux, and 1; or leave zeros."""
    count = photons.shape[0]
    chunks = 64
    for chunk in prange(chunks):
        stack = np.empty(STACK, np.int64)
        for index in range(chunk * count // chunks, (chunk + 1) * count // chunks):
            state = stream_of(seed, index, 1 << 42)
            state, ox, oy, oz, dx, dy, dz, r, g, b = leaving_light(scene, state, 1.0 / count)
            focused = False
            for _ in range(bounces):
                t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
                if shape < 0:
                    break
                passed = passed_mist(scene.mist, ox, oy, oz, dx, dy, dz, t)
                r, g, b = r * passed, g * passed, b * passed
                px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
                material = scene.shape_material[shape]
                kind = scene.material_kind[material]
                if kind == GLOW:
                    break
                cr, cg, cb = colour_at(scene, material, px, py, pz)
                nx, ny, nz = normal_at(scene, shape, px, py, pz)
                facing = dx * nx + dy * ny + dz * nz
                if kind == GLASS:
                    if facing > 0.0:
                        r, g, b = r * math.exp(-cr * t), g * math.exp(-cg * t), b * math.exp(-cb * t)
                    state, choice = uniform(state)
                    dx, dy, dz = refracted(scene.material_data[material, 0], facing, nx, ny, nz, dx, dy, dz, choice)
                    ox, oy, oz = px, py, pz
                    focused = True
                    continue
                if facing > 0.0:
                    nx, ny, nz = -nx, -ny, -nz
                rough = roughness_at(scene, material, px, py, pz) if kind == METAL else 1.0
                if kind == METAL and rough < SMOOTH:
                    alpha = rough**2
                    vx, vy, vz = -dx, -dy, -dz
                    state, u = uniform(state)
                    state, v = uniform(state)
                    dx, dy, dz, scale, density, fresnel = off_metal(alpha, nx, ny, nz, vx, vy, vz, u, v)
                    if density <= 0.0:
                        break
                    r *= scale * (cr + (1.0 - cr) * fresnel)
                    g *= scale * (cg + (1.0 - cg) * fresnel)
                    b *= scale * (cb + (1.0 - cb) * fresnel)
                    ox, oy, oz = px + nx * 1e-5, py + ny * 1e-5, pz + nz * 1e-5
                    focused = True
                    continue
                if focused and kind != METAL:
                    p = photons[index]
                    p[0], p[1], p[2], p[3], p[4], p[5] = px, py, pz, -dx, -dy, -dz
                    p[6], p[7], p[8], p[9] = r, g, b, 1.0
                break


@njit(cache=True, error_model="numpy", parallel=True)
def add_photons(grid, photons, firsts, sums, radius):
    """Add the light that photons bring to each pixel's first matte place (H, W, 9) to `sums` (H, W, 3).

    Density with Epanechnikov's kernel over a disc of `radius` metres.
    """
    height, width = sums.shape[0], sums.shape[1]
    low, cell, dims = grid.low, grid.cell, grid.dims
    for row in prange(height):
        for column in range(width):
            f = firsts[row, column]
            if f[6] + f[7] + f[8] <= 0.0:
                continue
            r, g, b = 0.0, 0.0, 0.0
            i0, i1 = int((f[0] - radius - low[0]) // cell), int((f[0] + radius - low[0]) // cell)
            j0, j1 = int((f[1] - radius - low[1]) // cell), int((f[1] + radius - low[1]) // cell)
            k0, k1 = int((f[2] - radius - low[2]) // cell), int((f[2] + radius - low[2]) // cell)
            for i in range(max(i0, 0), min(i1 + 1, dims[0])):
                for j in range(max(j0, 0), min(j1 + 1, dims[1])):
                    for k in range(max(k0, 0), min(k1 + 1, dims[2])):
                        at = (i * dims[1] + j) * dims[2] + k
                        for slot in range(grid.starts[at], grid.starts[at + 1]):
                            p = photons[grid.order[slot]]
                            if p[3] * f[3] + p[4] * f[4] + p[5] * f[5] <= 0.0:
                                continue
                            cx, cy, cz = p[0] - f[0], p[1] - f[1], p[2] - f[2]
                            off = abs(cx * f[3] + cy * f[4] + cz * f[5])
                            away = (cx * cx + cy * cy + cz * cz) / (radius * radius)
                            if away < 1.0 and off < 0.2 * radius:
                                weight = 2.0 * (1.0 - away)
                                r, g, b = r + weight * p[6], g + weight * p[7], b + weight * p[8]
            scale = 1.0 / (math.pi * math.pi * radius * radius)
            sums[row, column, 0] += f[6] * r * scale
            sums[row, column, 1] += f[7] * g * scale
            sums[row, column, 2] += f[8] * b * scale
