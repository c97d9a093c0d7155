"""Sedge, compiled: shadow maps, a buffer of what the screen shows, and light from it."""

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
    sky_at,
    stream_of,
    uniform,
)
from standins.tracing.light_kernels import metal_lobe, mist_span
from standins.tracing.path_kernels import STACK, camera_direction, matte_direction

LAYERS = 8  # most glass surfaces seen through
BIAS = 0.02
# one row of the buffer: position, normal, what the surface passes on, light sent to the camera, kind, depth, open air
POSITION, NORMAL, COLOUR, SENT, DIRECT, DEPTH, FOUND, GLASSY = 0, 3, 6, 9, 12, 15, 16, 17
BUFFER = 18


@njit(cache=True, error_model="numpy")
def map_place(dx, dy, dz):
    """Where a direction lies on a square unfolded from an octahedron, both 0 to 1 (Cigolle et al. 2014)."""
    total = abs(dx) + abs(dy) + abs(dz)
    x, y = dx / total, dz / total
    if dy < 0.0:
        x, y = (1.0 - abs(y)) * (1.0 if x >= 0.0 else -1.0), (1.0 - abs(x)) * (1.0 if y >= 0.0 else -1.0)
    return 0.5 * (x + 1.0), 0.5 * (y + 1.0)


@njit(cache=True, error_model="numpy")
def map_direction(u, v):
    """The unit direction of a place on that square."""
    x, y = 2.0 * u - 1.0, 2.0 * v - 1.0
    height = 1.0 - abs(x) - abs(y)
    if height < 0.0:
        x, y = (1.0 - abs(y)) * (1.0 if x >= 0.0 else -1.0), (1.0 - abs(x)) * (1.0 if y >= 0.0 else -1.0)
    length = math.sqrt(x * x + y * y + height * height)
    return x / length, height / length, y / length


@njit(cache=True, error_model="numpy", parallel=True)
def fill_shadow_maps(scene, lights, maps):
    """Distance from each light's middle to what stops its light; `maps` (l, n, n)."""
    count, size = maps.shape[0], maps.shape[1]
    for job in prange(count * size):
        stack = np.empty(STACK, np.int64)
        index, row = job // size, job % size
        light = lights[index]
        own = scene.light_shape[light]
        place = scene.light_place
        for column in range(size):
            dx, dy, dz = map_direction((column + 0.5) / size, (row + 0.5) / size)
            ox, oy, oz = place[light, 0], place[light, 1], place[light, 2]
            gone = 0.0
            for _ in range(4):
                t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
                if shape != own:
                    break
                gone += t + 1e-4
                ox, oy, oz = ox + dx * (t + 1e-4), oy + dy * (t + 1e-4), oz + dz * (t + 1e-4)
            maps[index, row, column] = gone + t


@njit(cache=True, error_model="numpy")
def lit_share(maps, index, dx, dy, dz, distance, blur):
    """Share of the taps around a direction that are not in shadow."""
    size = maps.shape[1]
    u, v = map_place(dx, dy, dz)
    column, row = int(u * size), int(v * size)
    # a texel covers more of a surface the farther away it is and the fewer there are
    reach = distance - BIAS - 3.0 * distance / size
    lit, taps = 0.0, 0
    for i in range(-blur, blur + 1):
        for j in range(-blur, blur + 1):
            y, x = min(max(row + i, 0), size - 1), min(max(column + j, 0), size - 1)
            taps += 1
            lit += 1.0 if maps[index, y, x] > reach else 0.0
    return lit / taps


@njit(cache=True, error_model="numpy")
def from_lights(scene, shadowed, maps, blur, kind, alpha, px, py, pz, nx, ny, nz, vx, vy, vz, cr, cg, cb):
    """Light sent toward the camera by all lights as points in their middles; only some cast shadows."""
    out_r, out_g, out_b = 0.0, 0.0, 0.0
    for light in range(scene.light_shape.shape[0]):
        place = scene.light_place
        lx, ly, lz = place[light, 0] - px, place[light, 1] - py, place[light, 2] - pz
        squared = lx * lx + ly * ly + lz * lz
        distance = math.sqrt(squared)
        lx, ly, lz = lx / distance, ly / distance, lz / distance
        cosine = lx * nx + ly * ny + lz * nz
        if cosine <= 0.0:
            continue
        shape = scene.light_shape[light]
        data = scene.shape_data
        r, g, b = colour_at(
            scene, scene.shape_material[shape], place[light, 0], place[light, 1], place[light, 2] + place[light, 3]
        )
        if scene.shape_kind[shape] == SPHERE:
            size = math.pi * data[shape, 3] ** 2
        else:
            facing = abs(lx * data[shape, 9] + ly * data[shape, 10] + lz * data[shape, 11])
            size = facing / math.sqrt(data[shape, 12] * data[shape, 13])
        irradiance = size / max(squared, size / math.pi)
        if shadowed[light] >= 0:
            irradiance *= lit_share(maps, shadowed[light], -lx, -ly, -lz, distance, blur)
        if irradiance <= 0.0:
            continue
        if kind == METAL:
            value, _density, fresnel = metal_lobe(alpha, nx, ny, nz, vx, vy, vz, lx, ly, lz)
            value *= irradiance
            out_r += r * value * (cr + (1.0 - cr) * fresnel)
            out_g += g * value * (cg + (1.0 - cg) * fresnel)
            out_b += b * value * (cb + (1.0 - cb) * fresnel)
        else:
            value = cosine * irradiance / math.pi
            out_r, out_g, out_b = out_r + r * value * cr, out_g + g * value * cg, out_b + b * value * cb
    return out_r, out_g, out_b


@njit(cache=True, error_model="numpy", parallel=True)
def fill_buffer(scene, camera, frame, shadowed, maps, blur, jitter_x, jitter_y, buffer):
    """What each pixel shows and the light it gets directly; glass is seen straight through, mirrors show the sky."""
    height, width = buffer.shape[0], buffer.shape[1]
    for row in prange(height):
        stack = np.empty(STACK, np.int64)
        for column in range(width):
            b = buffer[row, column]
            b[:] = 0.0
            dx, dy, dz = camera_direction(camera, frame, column, row, jitter_x, jitter_y)
            ox, oy, oz = camera[0, 0], camera[0, 1], camera[0, 2]
            tint_r, tint_g, tint_b, gone = 1.0, 1.0, 1.0, 0.0
            for _ in range(LAYERS):
                t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
                if shape < 0:
                    sr, sg, sb = sky_at(scene, dy)
                    b[SENT], b[SENT + 1], b[SENT + 2] = (
                        b[SENT] + tint_r * sr,
                        b[SENT + 1] + tint_g * sg,
                        b[SENT + 2] + tint_b * sb,
                    )
                    b[DEPTH] = FAR
                    break
                gone += t
                px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
                material = scene.shape_material[shape]
                kind = scene.material_kind[material]
                cr, cg, cb = colour_at(scene, material, px, py, pz)
                if kind == GLOW:
                    b[SENT], b[SENT + 1], b[SENT + 2] = (
                        b[SENT] + tint_r * cr,
                        b[SENT + 1] + tint_g * cg,
                        b[SENT + 2] + tint_b * cb,
                    )
                    b[DEPTH] = gone
                    break
                nx, ny, nz = normal_at(scene, shape, px, py, pz)
                facing = dx * nx + dy * ny + dz * nz
                if kind == GLASS:
                    b[GLASSY] = 1.0
                    if facing > 0.0:
                        tint_r, tint_g, tint_b = (
                            tint_r * math.exp(-cr * t),
                            tint_g * math.exp(-cg * t),
                            tint_b * math.exp(-cb * t),
                        )
                    else:
                        shine = 0.04 + 0.96 * (1.0 + facing) ** 5
                        sr, sg, sb = sky_at(scene, dy - 2.0 * facing * ny)
                        b[SENT] += tint_r * shine * sr
                        b[SENT + 1] += tint_g * shine * sg
                        b[SENT + 2] += tint_b * shine * sb
                        tint_r, tint_g, tint_b = tint_r * (1 - shine), tint_g * (1 - shine), tint_b * (1 - shine)
                    ox, oy, oz = px + dx * 1e-5, py + dy * 1e-5, pz + dz * 1e-5
                    continue
                if facing > 0.0:
                    nx, ny, nz = -nx, -ny, -nz
                alpha = roughness_at(scene, material, px, py, pz) ** 2 if kind == METAL else 1.0
                er, eg, eb = from_lights(
                    scene, shadowed, maps, blur, kind, max(alpha, 0.003), px, py, pz, nx, ny, nz, -dx, -dy, -dz,
                    cr, cg, cb,
                )  # fmt: skip
                if kind == METAL:
                    facing = dx * nx + dy * ny + dz * nz
                    sr, sg, sb = sky_at(scene, dy - 2.0 * facing * ny)
                    er, eg, eb = er + cr * sr, eg + cg * sg, eb + cb * sb
                    cr, cg, cb = 0.0, 0.0, 0.0
                b[POSITION], b[POSITION + 1], b[POSITION + 2] = px, py, pz
                b[NORMAL], b[NORMAL + 1], b[NORMAL + 2] = nx, ny, nz
                b[COLOUR], b[COLOUR + 1], b[COLOUR + 2] = cr * tint_r, cg * tint_g, cb * tint_b
                b[DIRECT], b[DIRECT + 1], b[DIRECT + 2] = er * tint_r, eg * tint_g, eb * tint_b
                b[DEPTH], b[FOUND] = gone, 1.0
                break


@njit(cache=True, error_model="numpy", parallel=True)
def add_screen(scene, camera, frame, buffer, corner, sums, seed, sample, reach, rays, bounce):
    """Add one look at every pixel to `sums` (H, W, 7): direct light, ambient and bounced light, openness.

    `buffer` may reach beyond the picture; the picture's first pixel is at `corner` (row, column) of it. Only what the
    buffer shows can occlude or send light.
    """
    height, width = sums.shape[0], sums.shape[1]
    high, wide = buffer.shape[0], buffer.shape[1]
    for row in prange(height):
        for column in range(width):
            b = buffer[row + corner[0], column + corner[1]]
            state = stream_of(seed, (frame[3] + row) * frame[0] + frame[2] + column, sample)
            direct_r, direct_g, direct_b = b[SENT] + b[DIRECT], b[SENT + 1] + b[DIRECT + 1], b[SENT + 2] + b[DIRECT + 2]
            more_r, more_g, more_b, open_ = 0.0, 0.0, 0.0, 1.0
            if b[FOUND] > 0.0 and rays > 0:
                open_ = 0.0
                for _ in range(rays):
                    state, u = uniform(state)
                    state, v = uniform(state)
                    state, w = uniform(state)
                    lx, ly, lz, _cosine = matte_direction(b[NORMAL], b[NORMAL + 1], b[NORMAL + 2], u, v)
                    step = reach * w
                    qx, qy, qz = (
                        b[0] + lx * step - camera[0, 0],
                        b[1] + ly * step - camera[0, 1],
                        b[2] + lz * step - camera[0, 2],
                    )
                    depth = qx * camera[1, 0] + qy * camera[1, 1] + qz * camera[1, 2]
                    hit = False
                    if depth > 1e-3:
                        across = camera[2, 0] ** 2 + camera[2, 1] ** 2 + camera[2, 2] ** 2
                        up = camera[3, 0] ** 2 + camera[3, 1] ** 2 + camera[3, 2] ** 2
                        sx = (qx * camera[2, 0] + qy * camera[2, 1] + qz * camera[2, 2]) / (across * depth)
                        sy = (qx * camera[3, 0] + qy * camera[3, 1] + qz * camera[3, 2]) / (up * depth)
                        x = int((sx + 1.0) * 0.5 * frame[0]) - frame[2] + corner[1]
                        y = int((1.0 - sy) * 0.5 * frame[1]) - frame[3] + corner[0]
                        if 0 <= x < wide and 0 <= y < high:
                            other = buffer[y, x]
                            away = math.sqrt(qx * qx + qy * qy + qz * qz)
                            behind = away - other[DEPTH]
                            hit = 0.01 * reach < behind < 2.0 * reach
                            if hit and bounce:
                                more_r += b[COLOUR] * other[DIRECT]
                                more_g += b[COLOUR + 1] * other[DIRECT + 1]
                                more_b += b[COLOUR + 2] * other[DIRECT + 2]
                    if not hit:
                        open_ += 1.0
                        sr, sg, sb = sky_at(scene, ly)
                        more_r += b[COLOUR] * sr
                        more_g += b[COLOUR + 1] * sg
                        more_b += b[COLOUR + 2] * sb
                more_r, more_g, more_b, open_ = more_r / rays, more_g / rays, more_b / rays, open_ / rays
            elif b[FOUND] > 0.0:
                sr, sg, sb = sky_at(scene, b[NORMAL + 1])
                more_r, more_g, more_b = b[COLOUR] * sr, b[COLOUR + 1] * sg, b[COLOUR + 2] * sb
            if scene.mist[0] > 0.0:
                dx, dy, dz = camera_direction(camera, frame, column, row, 0.5, 0.5)
                begin, end = mist_span(scene.mist, camera[0, 0], camera[0, 1], camera[0, 2], dx, dy, dz, b[DEPTH])
                passed = math.exp(-scene.mist[0] * min(end - begin, 200.0))
                sr, sg, sb = sky_at(scene, 0.0)
                veil = (1.0 - passed) * scene.mist[1]
                direct_r, direct_g, direct_b = (
                    direct_r * passed + sr * veil,
                    direct_g * passed + sg * veil,
                    direct_b * passed + sb * veil,
                )
                more_r, more_g, more_b = more_r * passed, more_g * passed, more_b * passed
            s = sums[row, column]
            s[0], s[1], s[2] = s[0] + direct_r, s[1] + direct_g, s[2] + direct_b
            s[3], s[4], s[5], s[6] = s[3] + more_r, s[4] + more_g, s[5] + more_b, s[6] + open_
