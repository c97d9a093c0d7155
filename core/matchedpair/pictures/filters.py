"""Blurs, medians and octaves of one-channel pictures, by OpenCV: float32 in and out, sums in float64.

Edges are mirrored. A blur in octaves is carried on at half the size once nothing finer is left in it: what a sample of
every second pixel folds back is below a thousandth of the power.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from matchedpair.pictures.picture import REC709, Doubles, Floats, Mask

Plane = TypeVar("Plane", Floats, Doubles)
OCTAVES = (0.7, 1.4, 2.8, 5.6, 11.2, 22.4)
FULL_UNTIL = 1.4  # up to this blur every pixel is kept
REACH = 4.0  # sigmas
FINEST_REACH = 8
LEAST_REDUCED = 32  # pixels a side that a picture keeps when a blur is made in it reduced; fewer feel the cut edge
LEAST_WIDE = 2.5  # pixels of a reduced picture that a blur made in it must reach


def light_of(pixels: Floats) -> Floats:
    """Rec.709 luminance of linear RGB, shape (H, W), float32."""
    return np.asarray(cv2.transform(pixels, np.array([REC709], dtype=np.float32)), dtype=np.float32)


def box(plane: Floats, size: int) -> Floats:
    """Mean over size × size pixels."""
    return np.asarray(cv2.boxFilter(plane, cv2.CV_32F, (size, size), borderType=cv2.BORDER_REFLECT))


def gauss(plane: Plane, sigma: float, reach: float = REACH) -> Plane:
    """Gaussian blur of sigma pixels, its kernel cut at so many sigmas."""
    side = 2 * math.ceil(reach * sigma) + 1
    return np.asarray(cv2.GaussianBlur(plane, (side, side), sigma, borderType=cv2.BORDER_REFLECT), dtype=plane.dtype)


def median(plane: Floats, size: int) -> Floats:
    """Median over 3 × 3 or 5 × 5 pixels."""
    return np.asarray(cv2.medianBlur(plane, size))


def reduced(plane: Floats, step: int) -> Floats:
    """Means over step × step pixels; a block that the picture's end cuts goes on with its last row or column."""
    height, width = plane.shape[:2]
    down, right = -height % step, -width % step
    if down or right:
        plane = np.asarray(cv2.copyMakeBorder(plane, 0, down, 0, right, cv2.BORDER_REPLICATE), dtype=np.float32)
    size = (plane.shape[1] // step, plane.shape[0] // step)
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA)) if step > 1 else plane


def enlarged(plane: Floats, step: int, shape: tuple[int, int]) -> Floats:
    """What `reduced` made small, brought back to rows and columns by straight lines between the blocks' middles."""
    size = (plane.shape[1] * step, plane.shape[0] * step)
    full = cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR) if step > 1 else plane
    return np.asarray(full[: shape[0], : shape[1]])


def reduced_gauss(plane: Floats, sigma: float, step: int) -> Floats:
    """The blur by sigma pixels of the full picture, of a plane reduced by `step`; `enlarged` completes it."""
    if step == 1:
        return gauss(plane, sigma)
    # averaging over `step` pixels and drawing lines between the middles blur by themselves
    own = (1.0 - 1.0 / step**2) / 12.0 + 1.0 / 6.0
    return gauss(plane, math.sqrt((sigma / step) ** 2 - own))


def wide_gauss(plane: Floats, sigma: float) -> Floats:
    """Gaussian blur by many pixels: made at a reduced size."""
    step = 1
    while sigma / (2 * step) >= LEAST_WIDE and min(plane.shape) >= 2 * LEAST_REDUCED * step:
        step *= 2
    return enlarged(reduced_gauss(reduced(plane, step), sigma, step), step, (plane.shape[0], plane.shape[1]))


@dataclass(frozen=True)
class Level:
    """A plane blurred by `sigma` pixels of the full picture, kept at every `step`-th pixel."""

    sigma: float
    step: int
    plane: Floats


def blurs(plane: Floats, sigmas: Sequence[float], *, done: float = 0.0, step: int = 1) -> Iterator[Level]:
    """The plane under each blur, in rising order, each made from the one before; half the size past each octave.

    Parameters
    ----------
    plane : ndarray of float32, shape (H, W)
        Blurred by `done` pixels of the full picture already, and kept at every `step`-th of them.
    sigmas : sequence of float
        Rising, in pixels of the full picture.
    """
    for sigma in sigmas:
        while done / step >= FULL_UNTIL and min(plane.shape) > 8:
            plane, step = np.ascontiguousarray(plane[::2, ::2]), 2 * step
        plane = gauss(plane, math.sqrt(sigma**2 - done**2) / step)
        done = sigma
        yield Level(sigma, step, plane)


def finest_bands(plane: Floats) -> tuple[Floats, Floats, Floats]:
    """What a blur by 0.7 pixels takes away; the band from there to 1.4 and the blur by 1.4, both at every second pixel.

    No value depends on more than `FINEST_REACH` rows around it.
    """
    fine = gauss(plane, OCTAVES[0])
    coarse = gauss(fine, math.sqrt(OCTAVES[1] ** 2 - OCTAVES[0] ** 2))[::2, ::2]
    return plane - fine, fine[::2, ::2] - coarse, np.ascontiguousarray(coarse)


def coarser_bands(halved: Floats, until: float = OCTAVES[-1]) -> Iterator[Level]:
    """The bands from 1.4 pixels on, from the plane blurred by that at every second pixel."""
    finer = Level(OCTAVES[1], 2, halved)
    for level in blurs(halved, [sigma for sigma in OCTAVES[2:] if sigma <= until], done=OCTAVES[1], step=2):
        skip = level.step // finer.step
        yield Level(finer.sigma, level.step, finer.plane[::skip, ::skip] - level.plane)
        finer = level


def white_power(fine: float, coarse: float) -> float:
    """Mean square that white noise of variance 1 leaves in the band between two blurs: Σ(g_fine − g_coarse)²."""
    reach = math.ceil(REACH * coarse) + 1
    first, second = _kernel(fine, reach), _kernel(coarse, reach)
    return float(first @ first) ** 2 + float(second @ second) ** 2 - 2.0 * float(first @ second) ** 2


def blur_power(sigma: float) -> float:
    """Mean square that white noise of variance 1 leaves after a blur: Σg²."""
    kernel = _kernel(sigma, math.ceil(REACH * sigma) + 1)
    return float(kernel @ kernel) ** 2


def filled(plane: Floats, known: Mask) -> Floats:
    """A copy whose unknown pixels hold the mean of known ones around them, from as near as there are any."""
    weight = known.astype(np.float32)
    values = np.where(known, plane, np.float32(0.0))
    result, missing = values.copy(), ~known
    size = 3
    while missing.any() and size < 2 * max(plane.shape):
        share = box(weight, size)
        near = missing & (share > 0.5 / size**2)
        if near.any():
            result[near] = box(values, size)[near] / share[near]
            missing &= ~near
        size = 2 * size + 1
    if missing.any():
        result[missing] = float(plane[known].mean(dtype=np.float64)) if known.any() else 0.0
    return result


def _kernel(sigma: float, reach: int) -> NDArray[np.float64]:
    if sigma == 0.0:
        kernel = np.zeros(2 * reach + 1)
        kernel[reach] = 1.0
        return kernel
    at = np.arange(-reach, reach + 1)
    kernel = np.exp(-(at**2) / (2.0 * sigma**2))
    return np.asarray(kernel / kernel.sum())
