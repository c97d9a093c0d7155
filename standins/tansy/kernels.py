"""Tansy, compiled: gather points on a screen lattice, interpolation between them, and direct light with mist."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange

from standins.tracing.kernels import (
    FAR,
    GLASS,
    GLOW,
    METAL,
    colour_at,
    nearest_hit,
    normal_at,
    roughness_at,
    sky_at,
    stream_of,
    uniform,
)
from standins.tracing.light_kernels import PICK_ESTIMATE, metal_lobe, mist_span, passed_mist, pick_light, toward_light
from standins.tracing.path_kernels import STACK, camera_direction, matte_direction, off_metal, refracted

CHAIN = 10  # most mirrors and glass surfaces before a matte place
FOUR_PI = 4.0 * math.pi


@njit(cache=True, error_model="numpy")
def light_at(scene, px, py, pz, nx, ny, nz, state, stack):
    """Light from one sampled light: its colour over its density, cosine included; n = 0 stands for open air."""
    state, choice = uniform(state)
    state, u = uniform(state)
    state, v = uniform(state)
    if scene.light_shape.shape[0] == 0:
        return state, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0
    light, chance, _ = pick_light(scene.light_place, scene.light_power, PICK_ESTIMATE, choice, px, py, pz, nx, ny, nz)
    lit = scene.light_shape[light]
    lx, ly, lz, reach, found = toward_light(scene, lit, u, v, px, py, pz)
    cosine = 1.0 if nx == 0.0 and ny == 0.0 and nz == 0.0 else lx * nx + ly * ny + lz * nz
    if found <= 0.0 or cosine <= 0.0:
        return state, 0.0, 0.0, 0.0, lx, ly, lz
    blocked, _shape = nearest_hit(scene, px, py, pz, lx, ly, lz, reach - 1e-4, True, stack)
    if blocked != FAR:
        return state, 0.0, 0.0, 0.0, lx, ly, lz
    er, eg, eb = colour_at(scene, scene.shape_material[lit], px + lx * reach, py + ly * reach, pz + lz * reach)
    scale = cosine / (found * chance) * passed_mist(scene.mist, px, py, pz, lx, ly, lz, reach)
    return state, er * scale, eg * scale, eb * scale, lx, ly, lz


@njit(cache=True, error_model="numpy")
def first_matte(scene, ox, oy, oz, dx, dy, dz, state, place, stack):
    """Follow mirrors and glass to the first matte place.

    `place` (14) takes position, normal, carried colour, light met on the way, distance, and whether a place was found.
    """
    carry_r, carry_g, carry_b = 1.0, 1.0, 1.0
    place[:] = 0.0
    total = 0.0
    lit = True
    for _ in range(CHAIN):
        t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
        if shape < 0:
            sr, sg, sb = sky_at(scene, dy)
            place[9] += carry_r * sr
            place[10] += carry_g * sg
            place[11] += carry_b * sb
            break
        total += t
        px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
        material = scene.shape_material[shape]
        kind = scene.material_kind[material]
        cr, cg, cb = colour_at(scene, material, px, py, pz)
        if kind == GLOW:
            if lit:
                place[9] += carry_r * cr
                place[10] += carry_g * cg
                place[11] += carry_b * cb
            break
        nx, ny, nz = normal_at(scene, shape, px, py, pz)
        facing = dx * nx + dy * ny + dz * nz
        if kind == GLASS:
            if facing > 0.0:
                carry_r *= math.exp(-cr * t)
                carry_g *= math.exp(-cg * t)
                carry_b *= math.exp(-cb * t)
            state, choice = uniform(state)
            dx, dy, dz = refracted(scene.material_data[material, 0], facing, nx, ny, nz, dx, dy, dz, choice)
            ox, oy, oz = px, py, pz
            continue
        if facing > 0.0:
            nx, ny, nz = -nx, -ny, -nz
        ox, oy, oz = px + nx * 1e-5, py + ny * 1e-5, pz + nz * 1e-5
        if kind == METAL:
            rough = roughness_at(scene, material, px, py, pz)
            alpha = rough**2
            vx, vy, vz = -dx, -dy, -dz
            lit = rough < 0.1
            if not lit:
                state, er, eg, eb, lx, ly, lz = light_at(scene, ox, oy, oz, nx, ny, nz, state, stack)
                cosine = lx * nx + ly * ny + lz * nz
                if er + eg + eb > 0.0:
                    value, _density, fresnel = metal_lobe(alpha, nx, ny, nz, vx, vy, vz, lx, ly, lz)
                    place[9] += carry_r * er / cosine * value * (cr + (1.0 - cr) * fresnel)
                    place[10] += carry_g * eg / cosine * value * (cg + (1.0 - cg) * fresnel)
                    place[11] += carry_b * eb / cosine * value * (cb + (1.0 - cb) * fresnel)
            state, u = uniform(state)
            state, v = uniform(state)
            dx, dy, dz, scale, density, fresnel = off_metal(alpha, nx, ny, nz, vx, vy, vz, u, v)
            if density <= 0.0:
                break
            carry_r *= scale * (cr + (1.0 - cr) * fresnel)
            carry_g *= scale * (cg + (1.0 - cg) * fresnel)
            carry_b *= scale * (cb + (1.0 - cb) * fresnel)
            continue
        place[0], place[1], place[2], place[3], place[4], place[5] = ox, oy, oz, nx, ny, nz
        place[6], place[7], place[8] = carry_r * cr, carry_g * cg, carry_b * cb
        place[13] = 1.0
        break
    place[12] = total
    return state


@njit(cache=True, error_model="numpy")
def gathered(scene, px, py, pz, nx, ny, nz, state, bounces, stack):
    """Light along one ray into the half space that no light sends directly, and how far its first hit is."""
    out_r, out_g, out_b = 0.0, 0.0, 0.0
    carry_r, carry_g, carry_b = 1.0, 1.0, 1.0
    first = FAR
    through = 0
    state, u = uniform(state)
    state, v = uniform(state)
    dx, dy, dz, _cosine = matte_direction(nx, ny, nz, u, v)
    ox, oy, oz = px, py, pz
    bounce = 0
    while bounce < bounces:
        t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
        first = min(first, t)
        if shape < 0:
            sr, sg, sb = sky_at(scene, dy)
            return state, out_r + carry_r * sr, out_g + carry_g * sg, out_b + carry_b * sb, first
        qx, qy, qz = ox + dx * t, oy + dy * t, oz + dz * t
        material = scene.shape_material[shape]
        kind = scene.material_kind[material]
        if kind == GLOW:
            break
        cr, cg, cb = colour_at(scene, material, qx, qy, qz)
        mx, my, mz = normal_at(scene, shape, qx, qy, qz)
        facing = dx * mx + dy * my + dz * mz
        if kind == GLASS:
            # straight through: this engine does not focus light
            if facing > 0.0:
                carry_r, carry_g, carry_b = (
                    carry_r * math.exp(-cr * t),
                    carry_g * math.exp(-cg * t),
                    carry_b * math.exp(-cb * t),
                )
            ox, oy, oz = qx, qy, qz
            through += 1
            if through > CHAIN:
                break
            continue
        if facing > 0.0:
            mx, my, mz = -mx, -my, -mz
        ox, oy, oz = qx + mx * 1e-5, qy + my * 1e-5, qz + mz * 1e-5
        carry_r, carry_g, carry_b = carry_r * cr, carry_g * cg, carry_b * cb
        state, er, eg, eb, _lx, _ly, _lz = light_at(scene, ox, oy, oz, mx, my, mz, state, stack)
        out_r += carry_r * er / math.pi
        out_g += carry_g * eg / math.pi
        out_b += carry_b * eb / math.pi
        state, u = uniform(state)
        state, v = uniform(state)
        dx, dy, dz, _cosine = matte_direction(mx, my, mz, u, v)
        bounce += 1
    return state, out_r, out_g, out_b, first


@njit(cache=True, error_model="numpy", parallel=True)
def gather(scene, camera, frame, spacing, corner, points, seed, rays, bounces, reach):
    """Fill `points` (rows, columns, 12): position, normal, mean light by rays, openness, footprint, found."""
    rows, columns = points.shape[0], points.shape[1]
    angle = 2.0 * math.sqrt(camera[3, 0] ** 2 + camera[3, 1] ** 2 + camera[3, 2] ** 2) / frame[1]
    for i in prange(rows):
        stack = np.empty(STACK, np.int64)
        place = np.empty(14)
        for j in range(columns):
            row, column = (corner[1] + i) * spacing, (corner[0] + j) * spacing
            state = stream_of(seed, row * 1000003 + column, 1 << 41)
            dx, dy, dz = camera_direction(camera, frame, column - frame[2], row - frame[3], 0.5, 0.5)
            state = first_matte(scene, camera[0, 0], camera[0, 1], camera[0, 2], dx, dy, dz, state, place, stack)
            points[i, j, 11] = place[13]
            if place[13] == 0.0:
                continue
            sum_r, sum_g, sum_b, open_ = 0.0, 0.0, 0.0, 0.0
            for _ in range(rays):
                state, r, g, b, first = gathered(
                    scene, place[0], place[1], place[2], place[3], place[4], place[5], state, bounces, stack
                )
                sum_r, sum_g, sum_b = sum_r + r, sum_g + g, sum_b + b
                open_ += 1.0 if first > reach else 0.0
            for k in range(6):
                points[i, j, k] = place[k]
            points[i, j, 6], points[i, j, 7], points[i, j, 8] = sum_r / rays, sum_g / rays, sum_b / rays
            points[i, j, 9] = open_ / rays
            points[i, j, 10] = place[12] * angle * spacing


@njit(cache=True, error_model="numpy")
def interpolated(points, corner, spacing, row, column, place, smoothing, out):
    """Fill `out` (4) with light and openness at a place from the gather points around it on the screen."""
    rows, columns = points.shape[0], points.shape[1]
    i0, j0 = int(row / spacing) - corner[1], int(column / spacing) - corner[0]
    out[:] = 0.0
    total = 0.0
    for i in range(max(i0 - 1, 0), min(i0 + 3, rows)):
        for j in range(max(j0 - 1, 0), min(j0 + 3, columns)):
            if points[i, j, 11] == 0.0:
                continue
            cx, cy, cz = points[i, j, 0] - place[0], points[i, j, 1] - place[1], points[i, j, 2] - place[2]
            away = math.sqrt(cx * cx + cy * cy + cz * cz) / (points[i, j, 10] * 2.0 * smoothing + 1e-9)
            alike = points[i, j, 3] * place[3] + points[i, j, 4] * place[4] + points[i, j, 5] * place[5]
            weight = 1e-5 / (1.0 + away)
            if away < 1.0 and alike > 0.0:
                weight += (1.0 - away) ** 2 * alike**8
            total += weight
            for k in range(4):
                out[k] += weight * points[i, j, 6 + k]
    if total > 0.0:
        for k in range(4):
            out[k] /= total


@njit(cache=True, error_model="numpy")
def mist_light(scene, ox, oy, oz, dx, dy, dz, reach, steps, state, stack, out):
    """Light scattered once toward the camera over this length, into `out` (3); returns state and the share passed."""
    mist = scene.mist
    out[:] = 0.0
    begin, end = mist_span(mist, ox, oy, oz, dx, dy, dz, reach)
    if end <= begin:
        return state, 1.0
    end = min(end, begin + 60.0)
    step = (end - begin) / steps
    for k in range(steps):
        state, u = uniform(state)
        t = begin + (k + u) * step
        state, er, eg, eb, _lx, _ly, _lz = light_at(
            scene, ox + dx * t, oy + dy * t, oz + dz * t, 0.0, 0.0, 0.0, state, stack
        )
        scale = mist[0] * mist[1] * step * math.exp(-mist[0] * (t - begin)) / FOUR_PI
        out[0] += er * scale
        out[1] += eg * scale
        out[2] += eb * scale
    return state, math.exp(-mist[0] * (end - begin))


@njit(cache=True, error_model="numpy", parallel=True)
def add_direct(scene, camera, frame, sums, points, corner, spacing, seed, sample, smoothing, air_steps):
    """Add one sample of every pixel to `sums` (H, W, 7): direct light, indirect light, openness."""
    height, width = sums.shape[0], sums.shape[1]
    for row in prange(height):
        stack = np.empty(STACK, np.int64)
        place = np.empty(14)
        found = np.empty(4)
        air = np.zeros(3)
        for column in range(width):
            pixel = (frame[3] + row) * frame[0] + frame[2] + column
            state = stream_of(seed, pixel, sample)
            state, jx = uniform(state)
            state, jy = uniform(state)
            dx, dy, dz = camera_direction(camera, frame, column, row, jx, jy)
            ox, oy, oz = camera[0, 0], camera[0, 1], camera[0, 2]
            passed = 1.0
            if air_steps > 0 and scene.mist[0] > 0.0:
                reach, _shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
                state, passed = mist_light(scene, ox, oy, oz, dx, dy, dz, reach, air_steps, state, stack, air)
                for k in range(3):
                    sums[row, column, k] += air[k]
            state = first_matte(scene, ox, oy, oz, dx, dy, dz, state, place, stack)
            for k in range(3):
                sums[row, column, k] += passed * place[9 + k]
            if place[13] == 0.0:
                sums[row, column, 6] += 1.0
                continue
            state, er, eg, eb, _lx, _ly, _lz = light_at(
                scene, place[0], place[1], place[2], place[3], place[4], place[5], state, stack
            )
            sums[row, column, 0] += passed * place[6] * er / math.pi
            sums[row, column, 1] += passed * place[7] * eg / math.pi
            sums[row, column, 2] += passed * place[8] * eb / math.pi
            interpolated(points, corner, spacing, frame[3] + row + jy, frame[2] + column + jx, place, smoothing, found)
            for k in range(3):
                sums[row, column, 3 + k] += passed * place[6 + k] * found[k]
            sums[row, column, 6] += found[3]
