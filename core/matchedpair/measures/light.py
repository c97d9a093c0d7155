"""The pictures that are measured together, and what several measures need of them, got once."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import combinations

import cv2
import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.correlation import Correlation, correlation
from matchedpair.pictures.filters import box, filled, light_of, median
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.pictures.strips import in_strips, side_by_side

DARK = 0.01  # eps, as a share of the mean
PEAKS = 0.999
MOST_VALUES = 2_000_000
GUIDE_RADIUS = 7
ALL_PAIRS = 4
LEVEL_REACH = 2 * GUIDE_RADIUS + 4
SMOOTHED = 5.0  # how much calmer the mean of 3×3 pixels, which are not independent, is than a pixel
LEAST_LEVEL = 0.5  # of the brightness within 5×5 pixels: pixels dark by chance must not outweigh the rest
TINY = 1e-37  # about the least that float32 holds
WILD = 5.0  # twins this many times further apart than those around are a firefly, not a level


@dataclass
class Found:
    """What was found of pictures over some pixels: filled in when it is first asked for, by whoever measures them, and
    nothing but the same pictures over the same pixels may be given it.

    Parameters
    ----------
    twins_problem : str or None
        Why the seeds are no twins, or empty; None until `twins` has looked.
    blotch_scale : tuple of (float or None)
        Empty until `blotches` has looked; then the scale of the slow patches that vary with the seed, in pixels.
    """

    twins_problem: str | None = None
    blotch_scale: tuple[float | None, ...] = ()


class Light:
    """Luminance of renders that are alike in all but the seed.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear light, one a seed. Not kept.
    valid : ndarray of bool, shape (H, W)
        Where all pictures count. What lies elsewhere is replaced from around it, so that it changes no figure.
    found : Found, optional
        What is known of them already.

    Raises
    ------
    RefusedError
        Without a picture, when sizes differ, two are bit-equal (same seed), or nothing valid and bright is left.
    """

    def __init__(self, pictures: Sequence[Floats], valid: Mask, *, found: Found | None = None) -> None:
        if not pictures:
            raise RefusedError("noise", "there is no picture")
        if not valid.any():
            raise RefusedError("noise", "no valid pixel is left")
        for first, second in combinations(pictures, 2):
            if first.shape != second.shape:
                raise RefusedError("noise", f"the twins differ in size: {_size(first)} and {_size(second)}")
            if equal(first, second):
                raise RefusedError("noise", "the twins are bit-equal: same seed, noise unknown")
        self.valid = valid
        self.all_valid = bool(valid.all())
        self.found = found or Found()
        self.y = [self._luminance(picture) for picture in pictures]
        self.eps = DARK * peakless_mean(self.mean, valid)
        if not self.eps > 0.0:
            raise RefusedError("noise", "the pictures are black, so there is no brightness to relate noise to")

    def _luminance(self, picture: Floats) -> Floats:
        plane = in_strips(light_of, [picture], reach=0)
        return plane if self.all_valid else filled(plane, self.valid)

    def seed(self, number: int) -> Light:
        """One of the seeds by itself."""
        alone = object.__new__(Light)
        alone.valid, alone.all_valid, alone.eps = self.valid, self.all_valid, self.eps
        alone.y, alone.found = [self.y[number]], Found(twins_problem="")
        return alone

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return self.y[0].shape[0], self.y[0].shape[1]

    @property
    def pairs(self) -> list[tuple[Floats, Floats]]:
        """All pairs of up to four seeds; of more, each with the next, in a ring: all pairs would tell little more."""
        if len(self.y) <= ALL_PAIRS:
            return list(combinations(self.y, 2))
        return list(zip(self.y, [*self.y[1:], self.y[0]], strict=True))

    @cached_property
    def mean(self) -> Floats:
        """Mean over the seeds."""
        if len(self.y) == 1:
            return self.y[0]
        total = self.y[0].copy()
        for plane in self.y[1:]:
            total += plane
        total *= np.float32(1.0 / len(self.y))
        return total

    @cached_property
    def median_5(self) -> list[Floats]:
        """Each seed's median over 5 × 5 pixels."""
        return side_by_side(lambda plane: median(plane, 5), self.y, self.shape)

    @cached_property
    def levels(self) -> list[Floats]:
        """The edge-keeping level of each pair of seeds."""
        return [
            in_strips(partial(edge_keeping_level, eps=self.eps), [first, second, self.valid], LEVEL_REACH)
            for first, second in self.pairs
        ]

    @cached_property
    def correlation(self) -> Correlation:
        """How the noise of neighbouring pixels hangs together, from pairs of seeds that share none."""
        apart = [self.y[number] - self.y[number + 1] for number in range(0, len(self.y) - 1, 2)]
        return correlation(apart, self.valid, len(self.y))

    def differences(self) -> list[Floats]:
        """(Y1 − Y2) / g of each pair of seeds; 0 where nothing counts. Its variance is twice that of one picture."""
        rows = zip(self.pairs, self.levels, strict=True)
        return [in_strips(_relative, [first, second, level, self.valid], reach=0) for (first, second), level in rows]


def _relative(y1: Floats, y2: Floats, level: Floats, valid: Mask) -> Floats:
    difference = y1 - y2
    difference /= level
    difference *= valid
    return difference


def edge_keeping_level(y1: Floats, y2: Floats, valid: Mask, *, eps: float) -> Floats:
    """The brightness around each pixel, blurred but not across edges (a guided filter of the logarithm by itself).

    He, Sun & Tang, Guided Image Filtering, ECCV 2010, equations 5 to 8, with the variance that the noise itself brings
    taken off the texture's.

    Parameters
    ----------
    y1, y2 : ndarray, shape (H, W)
        Luminance of twins.
    eps : float
        Added before the logarithm.

    Returns
    -------
    ndarray of float32, shape (H, W)
        Level, above 0.
    """
    floor = np.float32(max(eps**2, TINY))
    calm = (y1 + y2) * np.float32(0.5)
    variance = np.square(y1 - y2) * np.float32(0.5)
    product = y1 * y2
    others = (25 * box(variance, 5) - variance) * np.float32(1 / 24)
    wild = variance > np.float32(WILD**2) * others
    if not valid.all():
        variance[~valid] = 0.0
    if wild.any():
        np.copyto(calm, median(calm, 3), where=wild)
    size = 2 * GUIDE_RADIUS + 1
    noise = box(variance, size)
    noise /= np.maximum(box(product, size), floor)
    noise *= np.float32(0.5 / SMOOTHED)
    calm = box(calm, 3)
    np.maximum(calm, 0.0, out=calm)
    calm += np.float32(eps)
    log = np.asarray(cv2.log(calm), dtype=np.float32)
    shift = np.float32(math.log(eps / DARK))
    log -= shift  # squares of small numbers keep their digits
    middle = box(log, size)
    texture = box(log * log, size)
    texture -= middle * middle
    texture -= noise
    np.maximum(texture, 0.0, out=texture)
    slope = texture / (texture + noise + np.float32(1e-9))
    middle *= 1 - slope
    level = np.asarray(cv2.exp(box(slope, size) * log + box(middle, size) + shift))
    least = np.sqrt(np.maximum(box(product, 5), floor))
    least *= np.float32(LEAST_LEVEL)
    return np.asarray(np.maximum(level, least, out=level))


def equal(first: Floats, second: Floats) -> bool:
    """Whether two pictures of one shape are bit-equal, invalid values among them; a few rows tell most that are not."""
    few = slice(None, None, 97)
    return all(np.array_equal(first[rows], second[rows], equal_nan=True) for rows in (few, slice(None)))


def differing(pictures: Sequence[Floats]) -> list[Floats]:
    """The first alone where all seeds are bit-equal: an engine without noise has no second one."""
    alike = len(pictures) > 1 and equal(pictures[0], pictures[1])
    return list(pictures[:1] if alike else pictures)


def peakless_mean(plane: Floats, valid: Mask) -> float:
    """Mean of the valid values, each cut at their 99.9th percentile, so that fireflies do not rule it.

    Of large pictures, of every so many-th value.
    """
    values = plane.ravel() if valid.all() else plane[valid]
    values = values[:: max(values.size // MOST_VALUES, 1)].copy()
    place = min(int(PEAKS * values.size), values.size - 1)
    values.partition(place)
    below, limit = values[:place], float(values[place])
    return (float(below.sum(dtype=np.float64)) + limit * (values.size - place)) / values.size


def _size(pixels: Floats) -> str:
    return f"{pixels.shape[1]}×{pixels.shape[0]}"
