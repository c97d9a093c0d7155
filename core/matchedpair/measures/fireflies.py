"""Fireflies: single pixels far brighter than what is around them and than what another render shows there.

A pixel is one when it is five times its level and stands out ten times from the usual disagreement around it:
q = Y1/(level + eps) > 5 and z = (Y1 − other) / (1.4826·med5|Y1 − other| + 0.001·(level + eps)) > 10. With a twin,
level = max(Y2, med3(Y2), med5(Y1)) and other = Y2, so that a true glint, which the twin shows too, never counts; with a
reference the same with R. From one picture alone, level = max(med5(Y1), second largest 3×3 mean at 3 px): these are
*bright spots* and may be real glints.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np
from scipy.special import gammaincinv

from matchedpair.measures.figure import Figure, Interval
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from matchedpair.pictures.filters import box, median
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.pictures.strips import in_strips

VERSION = 2
TIMES_LEVEL, TIMES_SPREAD = 5.0, 10.0
USUAL = 1.4826  # a normal spread over its median deviation
SMALLEST_SPREAD = 0.001


@dataclass(frozen=True)
class Spot:
    """Connected pixels: the brightest one's row and column, how many, and the light above their level, in luminance."""

    row: int
    column: int
    pixels: int
    excess: float


@dataclass(frozen=True)
class FireflyFigure:
    """Fireflies in one zone.

    Parameters
    ----------
    count : int
        Over all seeds that were asked for.
    per_megapixel : Figure
        Of one picture; interval by Poisson's law.
    light_percent : Figure
        Share of the zone's light that they add.
    positions : tuple of (int, int)
        Row and column in the first picture.
    """

    count: int
    per_megapixel: Figure
    light_percent: Figure
    positions: tuple[tuple[int, int], ...]


class Fireflies:
    """The spots of every seed, each found against another seed, against the reference, or alone.

    Parameters
    ----------
    light : Light
    reference : ndarray, shape (H, W), optional
        Luminance of a reference that lies over the render; used when there is no twin.
    """

    def __init__(self, light: Light, reference: Floats | None = None) -> None:
        self.light = light
        self.method = "twin" if len(light.y) > 1 else "single" if reference is None else "reference"
        self.spots: list[list[Spot]] = []
        self.mask: Mask = np.zeros(light.shape, dtype=np.bool_)
        reference_median = median(reference, 3) if reference is not None and self.method == "reference" else None
        medians = [median(y, 3) for y in light.y] if self.method == "twin" else []
        for number, y in enumerate(light.y):
            if self.method == "twin":
                # each seed against the next, the last against the first
                other, other_median = light.y[number - 1], medians[number - 1]
            elif reference is not None and reference_median is not None:
                other, other_median = reference, reference_median
            else:
                other = other_median = _alone(y, light.median_5[number])
            excess = in_strips(
                partial(_excess, eps=light.eps), [y, other, other_median, light.median_5[number], light.valid], reach=4
            )
            self.mask |= excess > 0
            self.spots.append(_spots(excess))

    def figure(self, region: Region, *, seeds: int | None = None) -> FireflyFigure:
        """Fireflies whose brightest pixel lies in the region, of the first so many seeds; all if not given."""
        mask = region.mask
        inside = [[spot for spot in spots if mask[spot.row, spot.column]] for spots in self.spots[:seeds]]
        count = sum(map(len, inside))
        megapixels = len(inside) * region.count / 1e6
        low, high = poisson_interval(count)
        light = sum(region.mean(y) for y in self.light.y[: len(inside)]) * region.count
        share = 100 * sum(spot.excess for spots in inside for spot in spots) / light
        return FireflyFigure(
            count,
            Figure(count / megapixels, "per Mpx", (low / megapixels, high / megapixels), self.method, VERSION),
            Figure(float(share), "%", None, self.method, VERSION),
            tuple((spot.row, spot.column) for spot in inside[0]),
        )

    def places(self) -> Floats:
        """A map of how many times its level each firefly of the first picture is, at its brightest pixel; else 0."""
        shown = np.zeros(self.light.shape, dtype=np.float32)
        y, level = self.light.y[0], self.light.median_5[0]
        for spot in self.spots[0]:
            at = spot.row, spot.column
            shown[at] = y[at] / (max(level[at], 0.0) + self.light.eps)
        return shown


def poisson_interval(count: int) -> Interval:
    """95 % interval of the mean of which `count` was seen (Garwood 1936)."""
    low = float(gammaincinv(count, 0.025)) if count else 0.0
    return low, float(gammaincinv(count + 1, 0.975))


def _excess(y: Floats, other: Floats, other_median: Floats, own_median: Floats, valid: Mask, *, eps: float) -> Floats:
    """Light above the level at fireflies, 0 elsewhere."""
    level = np.maximum(other, other_median)
    np.maximum(level, own_median, out=level)
    np.maximum(level, 0.0, out=level)
    excess = y - level
    level += np.float32(eps)
    bright = y > np.float32(TIMES_LEVEL) * level
    bright &= valid
    if not bright.any():
        return np.zeros_like(y)
    difference = y - other
    spread = median(np.abs(difference), 5)
    spread *= np.float32(USUAL)
    spread += np.float32(SMALLEST_SPREAD) * level
    bright &= difference > np.float32(TIMES_SPREAD) * spread
    return np.where(bright, excess, np.float32(0.0))


def _alone(y: Floats, own_median: Floats) -> Floats:
    """Level without a second picture: the median, or the second largest of the 3×3 means three pixels away."""
    means = box(y, 3)
    around = cv2.copyMakeBorder(means, 3, 3, 3, 3, cv2.BORDER_REFLECT)
    height, width = y.shape
    largest = np.full_like(y, -np.inf)
    second = np.full_like(y, -np.inf)
    for down in (0, 3, 6):
        for right in (0, 3, 6):
            if down == right == 3:
                continue
            there = around[down : down + height, right : right + width]
            np.maximum(second, np.minimum(largest, there), out=second)
            np.maximum(largest, there, out=largest)
    return np.asarray(np.maximum(own_median, second))


def _spots(excess: Floats) -> list[Spot]:
    lit = (excess > 0).view(np.uint8)
    if not lit.any():
        return []
    count, labels, table, _ = cv2.connectedComponentsWithStats(lit, connectivity=8)
    found: list[Spot] = []
    for left, top, width, height, pixels in table[1:count]:
        cut = slice(int(top), int(top + height)), slice(int(left), int(left + width))
        own = np.where(labels[cut] == len(found) + 1, excess[cut], 0.0)
        row, column = np.unravel_index(int(own.argmax()), own.shape)
        found.append(Spot(int(top + row), int(left + column), int(pixels), float(own.sum(dtype=np.float64))))
    return found
