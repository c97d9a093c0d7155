"""Noise from one picture alone: a rough guess, half to double the truth, and never ranked.

In blocks of 16×16 pixels of log(Y + eps) that show nothing but noise, the finest diagonal Haar wavelet, (a − b − c +
d)/2 of each 2×2 pixels, has the noise's own spread. A curve of spread against brightness through these blocks is read
at every other block's brightness.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from matchedpair.pictures.picture import Doubles

VERSION = 1
BLOCK = 16
FLAT, FLATTER = (
    1.4,
    2.0,
)  # variance over the finest's, in sums of 2×2 and 4×4 pixels, up to which a block shows only noise
LEAST_SHARE = 0.05
CURVE_POINTS = 8
ALIKE = 1.6  # noise of an octave coarser over the finest, in variance, above which neighbouring pixels were mixed
ROUGH = 2.0
ELSE = "(texture, or a pixel filter or denoiser that mixed neighbouring pixels); render a twin"
ALIKE_REASON = (
    "neighbouring pixels are alike (a wide pixel filter or a denoiser), so one picture hides its noise; render a twin"
)


@dataclass(frozen=True)
class SingleNoise:
    """The guess, and the curve it was read from: pairs of luminance and noise in percent, rising in luminance."""

    noise: Figure
    curve: tuple[tuple[float, float], ...]
    flat_share: float


def single_noise(light: Light, region: Region) -> SingleNoise:
    """Guess the noise of the first picture in a region.

    Raises
    ------
    RefusedError
        When twins exist, under 5 % of the blocks are flat, or neighbouring pixels are alike (a wide pixel filter, or a
        denoiser), which hides the noise from the finest wavelet.
    """
    if len(light.y) > 1:
        raise RefusedError("noise", "there are twins, which measure the noise; a guess from one picture is not needed")
    log = np.log(np.maximum(light.y[0][region.cut], 0.0) + np.float32(light.eps)).astype(np.float64)
    inside = region.mask[region.cut]
    rows, columns = log.shape[0] // BLOCK, log.shape[1] // BLOCK
    blocks = _in_blocks(log, rows, columns)
    counted = _in_blocks(inside, rows, columns).all(axis=(1, 2))
    blocks = blocks[counted]
    if not len(blocks):
        raise RefusedError("noise", "the zone is smaller than the 16-pixel blocks that a guess from one picture needs")
    finest, coarser, flat = _spreads(blocks)
    share = float(flat.mean())
    if share < LEAST_SHARE:
        raise RefusedError("noise", f"only {share:.1%} of the picture is flat enough for a guess {ELSE}")
    if float(np.median(coarser[flat]) / max(float(np.median(finest[flat])), 1e-12)) > ALIKE:
        raise RefusedError("noise", ALIKE_REASON)
    level = blocks.mean(axis=(1, 2))
    curve = _curve(level[flat], finest[flat])
    variance = np.interp(level, curve[:, 0], curve[:, 1])
    percent = 100 * math.sqrt(float(variance.mean()))
    points = tuple((float(np.exp(at)), 100 * math.sqrt(float(value))) for at, value in curve)
    return SingleNoise(Figure(percent, "%", (percent / ROUGH, percent * ROUGH), "single", VERSION), points, share)


def _in_blocks(plane: np.ndarray, rows: int, columns: int) -> np.ndarray:
    cut = plane[: rows * BLOCK, : columns * BLOCK]
    return cut.reshape(rows, BLOCK, columns, BLOCK).swapaxes(1, 2).reshape(rows * columns, BLOCK, BLOCK)


def _spreads(blocks: Doubles) -> tuple[Doubles, Doubles, NDArray[np.bool_]]:
    """For each block the variance of a pixel by the finest and the next diagonal, and whether it shows nothing else."""
    finest = np.square(_diagonal(blocks)).mean(axis=(1, 2))
    halved = _halved(blocks)
    quartered = _halved(halved)
    coarser = np.square(_diagonal(halved)).mean(axis=(1, 2))
    most = np.maximum(finest, coarser / ALIKE)
    flat = (_off_plane(halved) <= FLAT * most) & (_off_plane(quartered) <= FLATTER * most)
    return finest, coarser, flat


def _halved(blocks: Doubles) -> Doubles:
    return (blocks[:, ::2, ::2] + blocks[:, 1::2, ::2] + blocks[:, ::2, 1::2] + blocks[:, 1::2, 1::2]) / 2.0


def _off_plane(blocks: Doubles) -> Doubles:
    """Variance of each block around the plane that fits it best."""
    side = blocks.shape[1]
    across = np.arange(side) - (side - 1) / 2
    steep = side * float(np.square(across).sum())
    slopes = (blocks @ across).sum(axis=1), np.einsum("nij,i->n", blocks, across)
    explained = (slopes[0] ** 2 + slopes[1] ** 2) / steep
    whole = np.square(blocks - blocks.mean(axis=(1, 2), keepdims=True)).sum(axis=(1, 2))
    return np.asarray((whole - explained) / (side * side - 3))


def _diagonal(blocks: Doubles) -> Doubles:
    return (blocks[:, ::2, ::2] - blocks[:, 1::2, ::2] - blocks[:, ::2, 1::2] + blocks[:, 1::2, 1::2]) / 2.0


def _curve(level: Doubles, variance: Doubles) -> Doubles:
    """Median variance in groups of equal count by brightness, shape (n, 2)."""
    order = np.argsort(level)
    groups = np.array_split(order, min(CURVE_POINTS, len(order)))
    return np.array([(level[group].mean(), float(np.median(variance[group]))) for group in groups])
