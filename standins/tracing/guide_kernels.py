"""Compiled: what the camera sees first, for passes and for denoising: depth, normal, albedo, ambient occlusion."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from standins.tracing.kernels import FAR, GLASS, GLOW, colour_at, nearest_hit, normal_at, stream_of, uniform
from standins.tracing.path_kernels import STACK, camera_direction, matte_direction

FAR_DEPTH = 1000.0


@njit(cache=True, error_model="numpy", parallel=True)
def add_guides(scene, camera, frame, sums, seed, sample, reach):
    """Add one sample of every pixel to `sums` (H, W, 8): depth, normal, albedo, openness.

    Depth is metres along the camera's axis, FAR_DEPTH where nothing is hit. Openness is 1 where the half space within
    `reach` metres is empty; with `reach` 0 it is not sampled.
    """
    height, width = sums.shape[0], sums.shape[1]
    for row in prange(height):
        stack = np.empty(STACK, np.int64)
        for column in range(width):
            pixel = (frame[3] + row) * frame[0] + frame[2] + column
            state = stream_of(seed + 7919, pixel, sample)
            state, jx = uniform(state)
            state, jy = uniform(state)
            dx, dy, dz = camera_direction(camera, frame, column, row, jx, jy)
            ox, oy, oz = camera[0, 0], camera[0, 1], camera[0, 2]
            t, shape = nearest_hit(scene, ox, oy, oz, dx, dy, dz, FAR, False, stack)
            if shape < 0:
                sums[row, column, 0] += FAR_DEPTH
                sums[row, column, 7] += 1.0
                continue
            px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
            nx, ny, nz = normal_at(scene, shape, px, py, pz)
            if dx * nx + dy * ny + dz * nz > 0.0:
                nx, ny, nz = -nx, -ny, -nz
            material = scene.shape_material[shape]
            kind = scene.material_kind[material]
            cr, cg, cb = colour_at(scene, material, px, py, pz)
            if kind == GLASS or kind == GLOW:
                cr, cg, cb = 1.0, 1.0, 1.0
            sums[row, column, 0] += t * (dx * camera[1, 0] + dy * camera[1, 1] + dz * camera[1, 2])
            sums[row, column, 1] += nx
            sums[row, column, 2] += ny
            sums[row, column, 3] += nz
            sums[row, column, 4] += cr
            sums[row, column, 5] += cg
            sums[row, column, 6] += cb
            if reach > 0.0:
                state, u = uniform(state)
                state, v = uniform(state)
                lx, ly, lz, _cosine = matte_direction(nx, ny, nz, u, v)
                found, _shape = nearest_hit(
                    scene, px + nx * 1e-5, py + ny * 1e-5, pz + nz * 1e-5, lx, ly, lz, reach, True, stack
                )
                sums[row, column, 7] += 1.0 if found == FAR else 0.0


@njit(cache=True, error_model="numpy", parallel=True)
def fill_first(scene, camera, frame, materials, depths):
    """The material that the middle of each pixel shows (H, W), -1 for none, and its depth in metres."""
    height, width = materials.shape[0], materials.shape[1]
    for row in prange(height):
        stack = np.empty(STACK, np.int64)
        for column in range(width):
            dx, dy, dz = camera_direction(camera, frame, column, row, 0.5, 0.5)
            t, shape = nearest_hit(
                scene, camera[0, 0], camera[0, 1], camera[0, 2], dx, dy, dz, FAR, False, stack
            )  # fmt: skip
            materials[row, column] = scene.shape_material[shape] if shape >= 0 else -1
            depths[row, column] = t * (dx * camera[1, 0] + dy * camera[1, 1] + dz * camera[1, 2])
