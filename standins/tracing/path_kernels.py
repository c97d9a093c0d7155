"""Compiled: one camera path at a time, and one sample of every pixel a call.

Light is found two ways, by sampling a light and by running into it, weighed by the power heuristic
(Veach & Guibas 1995). Rough metal follows the GGX distribution (Walter et al. 2007). Mist scatters evenly in all
directions; the free flight through it is sampled.
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
    across,
    colour_at,
    nearest_hit,
    normal_at,
    roughness_at,
    sky_at,
    stream_of,
    uniform,
)
from standins.tracing.light_kernels import (
    clamped,
    light_density,
    light_weight,
    metal_lobe,
    mist_span,
    passed_mist,
    pick_light,
    toward_light,
)

STACK = 64
EARLY = 7
SMOOTH = 0.2  # metal of less roughness focuses light
FOUR_PI = 4.0 * math.pi
_PHI = 1.0968154893  # the root of x**8 = x + 1
_STEPS = np.array([_PHI ** -(k + 1.0) for k in range(EARLY)])


@njit(cache=True, error_model="numpy")
def refracted(index, facing, nx, ny, nz, dx, dy, dz, choice):
    """New direction at glass: reflected or passed on by Fresnel's share, the one number deciding."""
    inside = facing > 0.0
    if inside:
        nx, ny, nz = -nx, -ny, -nz
    cos_in = abs(facing)
    ratio = index if inside else 1.0 / index
    sin2 = ratio * ratio * (1.0 - cos_in * cos_in)
    reflect, cos_out = 1.0, 0.0
    if sin2 < 1.0:
        cos_out = math.sqrt(1.0 - sin2)
        across_s = (ratio * cos_in - cos_out) / (ratio * cos_in + cos_out)
        across_p = (cos_in - ratio * cos_out) / (cos_in + ratio * cos_out)
        reflect = 0.5 * (across_s * across_s + across_p * across_p)
    if choice < reflect:
        dx, dy, dz = dx + 2 * cos_in * nx, dy + 2 * cos_in * ny, dz + 2 * cos_in * nz
    else:
        lean = ratio * cos_in - cos_out
        dx, dy, dz = ratio * dx + lean * nx, ratio * dy + lean * ny, ratio * dz + lean * nz
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    return dx / length, dy / length, dz / length


@njit(cache=True, error_model="numpy")
def metal_direction(alpha, nx, ny, nz, vx, vy, vz, u, v):
    """A reflected direction with GGX's spread; v points away from the surface."""
    ax, ay, az, bx, by, bz = across(nx, ny, nz)
    cos_h = math.sqrt((1.0 - u) / (1.0 + (alpha * alpha - 1.0) * u))
    sin_h = math.sqrt(max(0.0, 1.0 - cos_h * cos_h))
    ca, sa = math.cos(2 * math.pi * v) * sin_h, math.sin(2 * math.pi * v) * sin_h
    hx, hy, hz = ax * ca + bx * sa + nx * cos_h, ay * ca + by * sa + ny * cos_h, az * ca + bz * sa + nz * cos_h
    v_h = vx * hx + vy * hy + vz * hz
    return 2 * v_h * hx - vx, 2 * v_h * hy - vy, 2 * v_h * hz - vz


@njit(cache=True, error_model="numpy")
def off_metal(alpha, nx, ny, nz, vx, vy, vz, u, v):
    """A reflected direction, what it carries without colour, its density, and Fresnel's share; density 0: none."""
    dx, dy, dz = metal_direction(alpha, nx, ny, nz, vx, vy, vz, u, v)
    value, density, fresnel = metal_lobe(alpha, nx, ny, nz, vx, vy, vz, dx, dy, dz)
    scale = value / density if density > 0.0 else 0.0
    return dx, dy, dz, scale, density, fresnel


@njit(cache=True, error_model="numpy")
def matte_direction(nx, ny, nz, u, v):
    """A direction around the normal, dense as the cosine, and that cosine."""
    ax, ay, az, bx, by, bz = across(nx, ny, nz)
    radius, height = math.sqrt(u), math.sqrt(1.0 - u)
    ca, sa = math.cos(2 * math.pi * v) * radius, math.sin(2 * math.pi * v) * radius
    return ax * ca + bx * sa + nx * height, ay * ca + by * sa + ny * height, az * ca + bz * sa + nz * height, height


@njit(cache=True, error_model="numpy")
def radiance(scene, ox, oy, oz, dx, dy, dz, state, early, limits, clamp, picking, focus, first, stack):
    """Light arriving along one camera ray: all of it, and the part scattered at most once (direct).

    `limits`: most bounces in all, off matte, off metal, through glass. `early`: the numbers for the first scattering.
    `focus`: leave out light that reaches the first matte place by way of glass or smooth metal only; `first` then takes
    that place, its normal and what it carries, for a photon map to fill in.
    """
    out_r, out_g, out_b, near_r, near_g, near_b = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    carry_r, carry_g, carry_b = 1.0, 1.0, 1.0
    density, weights = 0.0, 0.0  # of the last scattered direction; 0 after the camera, glass: light then counts whole
    from_x, from_y, from_z, from_nx, from_ny, from_nz = ox, oy, oz, 0.0, 0.0, 0.0
    places, powers, mist = scene.light_place, scene.light_power, scene.mist
    lights = scene.light_shape.shape[0]
    scattered, matte, shiny, glassy = 0, 0, 0, 0
    chain = 0  # 0 before the first matte place, 1 just after it, 2 focused since then, 3 beyond
    for depth in range(limits[0] + 1):
        t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
        indirect = scattered >= 2 or (scattered == 1 and density == 0.0)
        in_mist = False
        if mist[0] > 0.0:
            begin, end = mist_span(mist, ox, oy, oz, dx, dy, dz, t)
            if end > begin:
                state, u = uniform(state)
                flight = begin - math.log(1.0 - u) / mist[0]
                if flight < end:
                    in_mist, t = True, flight
        if shape < 0 and not in_mist:
            sr, sg, sb = sky_at(scene, dy)
            add_r, add_g, add_b = clamped(carry_r * sr, carry_g * sg, carry_b * sb, clamp if indirect else 0.0)
            out_r, out_g, out_b = out_r + add_r, out_g + add_g, out_b + add_b
            if not indirect:
                near_r, near_g, near_b = near_r + add_r, near_g + add_g, near_b + add_b
            break
        px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
        kind, material = -1, 0
        cr, cg, cb = mist[1], mist[1], mist[1]
        if not in_mist:
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
            if focus and chain == 2:
                share = 0.0
            add_r, add_g, add_b = clamped(
                carry_r * cr * share, carry_g * cg * share, carry_b * cb * share, clamp if indirect else 0.0
            )
            out_r, out_g, out_b = out_r + add_r, out_g + add_g, out_b + add_b
            if not indirect:
                near_r, near_g, near_b = near_r + add_r, near_g + add_g, near_b + add_b
            break
        if depth == limits[0]:
            break
        if in_mist:
            nx, ny, nz, facing = 0.0, 0.0, 0.0, 0.0
        else:
            nx, ny, nz = normal_at(scene, shape, px, py, pz)
            facing = dx * nx + dy * ny + dz * nz
        if kind == GLASS:
            glassy += 1
            if glassy > limits[3]:
                break
            if facing > 0.0:
                carry_r *= math.exp(-cr * t)
                carry_g *= math.exp(-cg * t)
                carry_b *= math.exp(-cb * t)
            state, choice = uniform(state)
            dx, dy, dz = refracted(scene.material_data[material, 0], facing, nx, ny, nz, dx, dy, dz, choice)
            ox, oy, oz = px, py, pz
            density = 0.0
            chain = 2 if chain == 1 else chain
            continue
        if facing > 0.0:
            nx, ny, nz = -nx, -ny, -nz
        ox, oy, oz = px + nx * 1e-5, py + ny * 1e-5, pz + nz * 1e-5
        vx, vy, vz = -dx, -dy, -dz
        alpha = 1.0
        if kind == METAL:
            rough = roughness_at(scene, material, px, py, pz)
            alpha = rough**2
            shiny += 1
            if shiny > limits[2]:
                break
            if chain == 1 and rough < SMOOTH:
                chain = 2
            elif chain >= 1 and rough >= SMOOTH:
                chain = 3
        else:
            matte += 1
            if matte > limits[1]:
                break
            if chain == 0 and not in_mist:
                chain = 1
                if focus:
                    first[0], first[1], first[2], first[3], first[4], first[5] = px, py, pz, nx, ny, nz
                    first[6], first[7], first[8] = carry_r * cr, carry_g * cg, carry_b * cb
            else:
                chain = 3
        scattered += 1
        weights = 1.0
        if lights > 0:
            if scattered == 1:
                choice, u, v = early[2], early[3], early[4]
            else:
                state, choice = uniform(state)
                state, u = uniform(state)
                state, v = uniform(state)
            light, chance, weights = pick_light(places, powers, picking, choice, ox, oy, oz, nx, ny, nz)
            lit = scene.light_shape[light]
            lx, ly, lz, reach, found = toward_light(scene, lit, u, v, ox, oy, oz)
            cosine = 1.0 if in_mist else lx * nx + ly * ny + lz * nz
            if found > 0.0 and cosine > 0.0 and not (focus and chain == 2):
                value, other, fresnel = cosine / math.pi, cosine / math.pi, 0.0
                if in_mist:
                    value, other = 1.0 / FOUR_PI, 1.0 / FOUR_PI
                elif kind == METAL:
                    value, other, fresnel = metal_lobe(alpha, nx, ny, nz, vx, vy, vz, lx, ly, lz)
                blocked = FAR
                if value > 0.0:
                    blocked, _shape = nearest_hit(scene, ox, oy, oz, lx, ly, lz, reach - 1e-4, True, stack)
                if value > 0.0 and blocked == FAR:
                    found *= chance
                    share = found / (found * found + other * other) * value
                    share *= passed_mist(mist, ox, oy, oz, lx, ly, lz, reach)
                    qx, qy, qz = ox + lx * reach, oy + ly * reach, oz + lz * reach
                    er, eg, eb = colour_at(scene, scene.shape_material[lit], qx, qy, qz)
                    add_r, add_g, add_b = clamped(
                        carry_r * er * share * (cr + (1.0 - cr) * fresnel),
                        carry_g * eg * share * (cg + (1.0 - cg) * fresnel),
                        carry_b * eb * share * (cb + (1.0 - cb) * fresnel),
                        clamp if scattered >= 2 else 0.0,
                    )
                    out_r, out_g, out_b = out_r + add_r, out_g + add_g, out_b + add_b
                    if scattered == 1:
                        near_r, near_g, near_b = near_r + add_r, near_g + add_g, near_b + add_b
        if scattered == 1:
            u, v = early[5], early[6]
        else:
            state, u = uniform(state)
            state, v = uniform(state)
        if in_mist:
            height = 1.0 - 2.0 * u
            radius = math.sqrt(max(0.0, 1.0 - height * height))
            dx, dy, dz = math.cos(2 * math.pi * v) * radius, height, math.sin(2 * math.pi * v) * radius
            density = 1.0 / FOUR_PI
            carry_r, carry_g, carry_b = carry_r * cr, carry_g * cg, carry_b * cb
        elif kind == METAL:
            dx, dy, dz, scale, density, fresnel = off_metal(alpha, nx, ny, nz, vx, vy, vz, u, v)
            if density <= 0.0:
                break
            carry_r *= scale * (cr + (1.0 - cr) * fresnel)
            carry_g *= scale * (cg + (1.0 - cg) * fresnel)
            carry_b *= scale * (cb + (1.0 - cb) * fresnel)
        else:
            dx, dy, dz, height = matte_direction(nx, ny, nz, u, v)
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
    return out_r, out_g, out_b, near_r, near_g, near_b


@njit(cache=True, error_model="numpy")
def early_numbers(early, seed, pixel, sample, even):
    """Fill the numbers for a sample's place in the pixel and its first scattering; returns the stream's state.

    `even`: spread over the samples by an additive recurrence (Roberts 2018) that starts anywhere, else independent.
    """
    state = stream_of(seed, pixel, sample)
    if even:
        offsets = stream_of(seed, pixel, 1 << 40)
        for k in range(EARLY):
            offsets, u = uniform(offsets)
            early[k] = (u + sample * _STEPS[k]) % 1.0
    else:
        for k in range(EARLY):
            state, early[k] = uniform(state)
    return state


@njit(cache=True, error_model="numpy")
def filtered(u, width):
    """A place in the pixel, 0 to 1, or beyond it for a tent filter of this width in pixels; 0 means a box of one."""
    if width <= 0.0:
        return u
    reach = width / 2.0
    if u < 0.5:
        return 0.5 + reach * (math.sqrt(2.0 * u) - 1.0)
    return 0.5 + reach * (1.0 - math.sqrt(2.0 - 2.0 * u))


@njit(cache=True, error_model="numpy")
def camera_direction(camera, frame, column, row, jitter_x, jitter_y):
    """Unit direction through a place in a pixel; `frame` holds the full width and height and the crop's corner."""
    sx = 2.0 * (frame[2] + column + jitter_x) / frame[0] - 1.0
    sy = 1.0 - 2.0 * (frame[3] + row + jitter_y) / frame[1]
    dx = camera[1, 0] + sx * camera[2, 0] + sy * camera[3, 0]
    dy = camera[1, 1] + sx * camera[2, 1] + sy * camera[3, 1]
    dz = camera[1, 2] + sx * camera[2, 2] + sy * camera[3, 2]
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    return dx / length, dy / length, dz / length


@njit(cache=True, error_model="numpy", parallel=True)
def add_paths(scene, camera, frame, sums, counts, active, firsts, seed, sample, limits, clamp, picking, focus, even,
              filter_width):  # fmt: skip
    """Add one path to every active pixel.

    `sums` (H, W, 7): light, direct light, squared luminance; `counts` (H, W); `firsts` (H, W, 9), or (1, 1, 9) when
    `focus` is off.
    """
    height, width = sums.shape[0], sums.shape[1]
    for row in prange(height):
        stack = np.empty(STACK, np.int64)
        early = np.empty(EARLY)
        for column in range(width):
            if not active[row, column]:
                continue
            pixel = (frame[3] + row) * frame[0] + frame[2] + column
            state = early_numbers(early, seed, pixel, sample, even)
            jitter_x, jitter_y = filtered(early[0], filter_width), filtered(early[1], filter_width)
            dx, dy, dz = camera_direction(camera, frame, column, row, jitter_x, jitter_y)
            first = firsts[row, column] if focus else firsts[0, 0]
            if focus:
                first[:] = 0.0
            r, g, b, nr, ng, nb = radiance(
                scene, camera[0, 0], camera[0, 1], camera[0, 2], dx, dy, dz, state, early, limits, clamp, picking,
                focus, first, stack,
            )  # fmt: skip
            sums[row, column, 0] += r
            sums[row, column, 1] += g
            sums[row, column, 2] += b
            sums[row, column, 3] += nr
            sums[row, column, 4] += ng
            sums[row, column, 5] += nb
            y = 0.2126 * r + 0.7152 * g + 0.0722 * b
            sums[row, column, 6] += y * y
            counts[row, column] += 1
