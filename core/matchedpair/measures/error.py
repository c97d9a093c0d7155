"""Error against a reference, in three numbers that overlap and do not add, in percent of the reference's brightness.

With E = Y − R and w = √(R² + eps²): total² = mean(E²/w²) less the reference's own relative variance (from its twin);
systematic² = mean((Y1 − R1)(Y2 − R2)/w²), in which no noise survives since all seeds differ; low-frequency² =
mean((G2∗E/w)²) less what white noise leaves there. random² is the twins' own variance over the same w. Lower is better.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial
from itertools import combinations, product

import numpy as np

from matchedpair.measures.figure import Figure, Interval
from matchedpair.measures.light import TINY, Light
from matchedpair.measures.region import Region, block_error, root_interval
from matchedpair.pictures.filters import FINEST_REACH, OCTAVES, blur_power, blurs, finest_bands, white_power
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.pictures.strips import in_strips, maps_in_strips

VERSION = 3
LOW, NEXT = 2.0, 2.8
METHOD_SHARE, SLOW_SHARE = 0.005, 0.02
BLOCK = 16
MOST_GRAIN = 5.0  # a pixel filter leaves in the finest octave a fifth of what is in the next; a denoiser less
SURE = 2.0  # standard errors above which a systematic error is printed
NO_TWIN = "there is no twin, and one render cannot tell its noise from a lasting error"


@dataclass(frozen=True)
class ErrorFigure:
    """Error in one zone; a part that cannot be told is None, with the reason in `refused` under its name."""

    total: Figure
    random: Figure | None
    systematic: Figure | None
    low_frequency: Figure | None
    refused: dict[str, str]


class ErrorMaps:
    """Maps of error, from which each zone's figures are read.

    Parameters
    ----------
    light, reference : Light
        The render's seeds, and the reference with its twin when there is one.
    """

    def __init__(self, light: Light, reference: Light) -> None:
        self.light, self.reference = light, reference
        self._references = reference.y[:2]
        counts = len(light.y), len(self._references)
        self.squared, *rest = maps_in_strips(
            partial(_error_maps, counts=counts, eps=reference.eps),
            [reference.valid, *light.y, *self._references], FINEST_REACH,
        )  # fmt: skip
        twins = len(light.y) > 1
        self._finest = rest.pop(0)
        self._own = rest.pop(0) if len(self._references) == 1 else None
        self.crossed = rest.pop(0) if twins else None
        self._variance = rest.pop(0) if twins else None
        self._slow = [tuple(map(np.square, slow_maps(halved))) for halved in rest]

    def percent(self) -> Floats:
        """The map of the first picture's error in percent of the reference; above 0 it is brighter."""
        return np.where(self.reference.valid, 100 * relative_error(self.light.y[0], self.reference), np.float32(np.nan))

    def figure(self, region: Region) -> ErrorFigure:
        """Error in a region."""
        refused: dict[str, str] = {}
        total = self._total(region)
        random = None if self._variance is None else _root(region, self._variance)
        if random is None:
            refused["random"] = NO_TWIN
        return ErrorFigure(total, random, self._systematic(region, refused), self._low(region, refused), refused)

    def _total(self, region: Region) -> Figure:
        total = _root(region, self.squared) or Figure(0.0, "%", None, "reference", VERSION)
        return Figure(total.value, "%", self._widened(total.interval, region), "reference", VERSION)

    def _widened(self, interval: Interval | None, region: Region) -> Interval | None:
        """With a lone reference, the lower end leaves room for its own noise: what errors share in the finest band."""
        if self._own is None or interval is None:
            return interval
        own = max(region.mean(self._own) / white_power(0.0, OCTAVES[0]), 0.0)
        return 100 * math.sqrt(max((interval[0] / 100) ** 2 - own, 0.0)), interval[1]

    def _systematic(self, region: Region, refused: dict[str, str]) -> Figure | None:
        if self.crossed is None:
            refused["systematic"] = NO_TWIN
            return None
        mean, error = region.mean(self.crossed), block_error(self.crossed, region, BLOCK)
        if error is None:
            refused["systematic"] = "the zone is too small to tell a lasting error from chance"
            return None
        if mean <= SURE * error:
            least = 100 * math.sqrt(max(mean, 0.0) + SURE * error)
            refused["systematic"] = f"none can be told from noise; one above {least:.2g} % would have been seen"
            return None
        percent = 100 * math.sqrt(mean)
        interval = self._widened(root_interval(mean, error, METHOD_SHARE), region)
        return Figure(percent, "%", interval, "reference", VERSION)

    def _low(self, region: Region, refused: dict[str, str]) -> Figure | None:
        part = region.at(2)
        if part is None:
            refused["low_frequency"] = "the zone is too small"
            return None
        whole = float(np.mean([part.mean(low) for low, _ in self._slow]))
        white = float(np.mean([part.mean(band) for _, band in self._slow])) / white_power(OCTAVES[1], NEXT)
        white = min(white, MOST_GRAIN * region.mean(self._finest) / white_power(0.0, OCTAVES[0]))
        power = whole - white * blur_power(LOW)
        error = block_error(self._slow[0][0], part, BLOCK // 2)
        if power <= 0.0 or (error is not None and power <= SURE * error):
            refused["low_frequency"] = "no slow error can be told from noise"
            return None
        percent = 100 * math.sqrt(power)
        return Figure(percent, "%", root_interval(power, error, SLOW_SHARE), "reference", VERSION)


def relative_error(luminance: Floats, reference: Light) -> Floats:
    """(Y − R)/w of a luminance, shape (H, W), against a reference; 0 where nothing counts."""
    planes = [reference.valid, luminance, *reference.y[:2]]
    return in_strips(partial(_relative, eps=reference.eps), planes, reach=0)


def _weight(valid: Mask, references: tuple[Floats, ...], eps: float) -> Floats:
    """1/w; 0 where nothing counts."""
    mean = references[0] if len(references) == 1 else (references[0] + references[1]) * np.float32(0.5)
    weight = 1 / np.sqrt(np.asarray(np.square(mean)) + np.float32(max(eps**2, TINY)))
    weight *= valid
    return np.asarray(weight)


def _relative(valid: Mask, y: Floats, *references: Floats, eps: float) -> Floats:
    return (y - references[0]) * _weight(valid, references, eps)


def _error_maps(valid: Mask, *planes: Floats, counts: tuple[int, int], eps: float) -> list[Floats]:
    """E² less the reference's variance; with a lone reference, the finest bands of E crossed; with twins, E crossed and
    the seeds' own variance. What render and reference have in common because their seeds are the same, in the same
    order (one engine's further samples go on where fewer end), is put back where both have twins.

    Second, the finest band of E squared. Last, for each seed, E blurred by 1.4 pixels at every second pixel.
    """
    seeds, references = planes[: counts[0]], planes[counts[0] :]
    weight = _weight(valid, references, eps)
    relative = [[(y - r) * weight for r in references] for y in seeds]
    rows = [plane for seed in relative for plane in seed]
    squared = _mean([np.square(plane) for plane in rows])
    if len(references) > 1:
        squared -= np.square(relative[0][0] - relative[0][1]) * np.float32(0.5)
    common = None
    if len(references) > 1 and len(seeds) > 1:
        common = (relative[0][0] - relative[1][0]) * (relative[0][1] - relative[0][0]) * np.float32(1 / len(seeds))
        squared += common
    split = [finest_bands(seed[number % len(seed)]) for number, seed in enumerate(relative)]
    maps = [squared, np.square(split[0][0])]
    if len(references) == 1:
        maps.append(split[0][0] * split[-1][0])
    if len(seeds) > 1:
        ways = product(combinations(relative, 2), product(range(len(references)), repeat=2))
        crossed = _mean([i[k] * j[m] for (i, j), (k, m) in ways if k != m or len(references) == 1])
        maps.append(crossed if common is None else crossed + common)
        maps.append(_mean([np.square(i[0] - j[0]) * np.float32(0.5) for i, j in combinations(relative, 2)]))
    return [*maps, *(halved for _, _, halved in split)]


def _mean(planes: list[Floats]) -> Floats:
    total = planes[0]
    for plane in planes[1:]:
        total += plane
    if len(planes) > 1:
        total *= np.float32(1 / len(planes))
    return total


def slow_maps(halved: Floats) -> tuple[Floats, Floats]:
    """A plane blurred by 1.4 pixels at every second pixel: blurred by 2, and its band between 1.4 and 2.8."""
    low, coarse = (next(iter(blurs(halved, [sigma], done=OCTAVES[1], step=2))).plane for sigma in (LOW, NEXT))
    return low, halved - coarse


def _root(region: Region, plane: Floats) -> Figure | None:
    mean = region.mean(plane)
    if mean <= 0.0:
        return None
    percent = 100 * math.sqrt(mean)
    error = block_error(plane, region, 2 * BLOCK) or block_error(plane, region, BLOCK)
    return Figure(percent, "%", root_interval(mean, error, METHOD_SHARE), "reference", VERSION)
