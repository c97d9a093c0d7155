"""Noise of one picture by twins: the relative spread that another seed would show, in percent of the picture's
brightness.

For twins Y1, Y2: v = (Y1 − Y2)² / 2 is the variance of one picture, and Y1·Y2 is an unbiased estimate of its squared
brightness (the square of the mean is not: it holds half the variance). Each pixel's share is q = box5(v / g²) /
box5((Y1·Y2 + eps²) / g²), noise = 100·√mean(q), where g is an edge-keeping level (`light`) and eps is 0.01·mean(Y).
Pixels left out or invalid count nowhere. Lower is better.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure, Ratio, must_compare
from matchedpair.measures.light import TINY, Light
from matchedpair.measures.region import Region, block_error, root_interval
from matchedpair.pictures.filters import box
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.pictures.strips import in_strips

VERSION = 1
METHOD_SHARE = 0.015  # the method's own uncertainty, relative
TOP_SHARE = 0.001
NO_TWIN = "there is no twin: render the same again with another seed"


@dataclass(frozen=True)
class NoiseFigure:
    """Noise of one picture in one zone.

    Parameters
    ----------
    noise : Figure
        In percent, by ``twin``.
    top_share : float
        Share of the noise that sits in the noisiest 0.1 % of pixels, 0 to 1. Where it is large, rare bright paths rule
        and both twins may have missed others.
    variance_error : float or None
        Standard error of mean(q) from 16-pixel blocks, for ratios.
    """

    noise: Figure
    top_share: float
    variance_error: float | None


class TwinNoise:
    """The map q of two or more seeds, from which each zone's figure is read; over more than two, the mean of all pairs.

    Parameters
    ----------
    light : Light
        All conditions alike but the seed.
    apart : ndarray of bool, shape (H, W), optional
        Pixels that do not count, such as fireflies.

    Raises
    ------
    RefusedError
        With fewer than two pictures.
    """

    def __init__(self, light: Light, apart: Mask | None = None) -> None:
        if len(light.y) < 2:
            raise RefusedError("noise", NO_TWIN)
        self.light = light
        self.counted = light.valid if apart is None else light.valid & ~apart
        self._all = light.all_valid and apart is None

    @cached_property
    def q(self) -> Floats:
        """Relative variance of one picture around each pixel, shape (H, W); 0 where nothing counts."""
        shares = [
            self._share(y1, y2, level) for (y1, y2), level in zip(self.light.pairs, self.light.levels, strict=True)
        ]
        if len(shares) == 1:
            return shares[0]
        return np.asarray(np.mean(shares, axis=0, dtype=np.float32))

    def percent(self) -> Floats:
        """The map of noise in percent of the brightness around each pixel; not a number where nothing counts."""
        return np.where(self.counted, 100 * np.sqrt(self.q), np.float32(np.nan))

    def figure(self, region: Region) -> NoiseFigure:
        """Noise inside a region of `counted` pixels."""
        mean_q = region.mean(self.q)
        percent = 100 * math.sqrt(mean_q)
        values = region.values(self.q)
        few = max(1, round(values.size * TOP_SHARE))
        top = float(np.partition(values, values.size - few)[-few:].sum(dtype=np.float64))
        top /= max(mean_q * values.size, 1e-300)
        fine = block_error(self.q, region, 16)
        interval = root_interval(mean_q, block_error(self.q, region, 32) or fine, METHOD_SHARE)
        return NoiseFigure(
            Figure(percent, "%", interval, "twin", VERSION),
            min(top, 1.0), fine,
        )  # fmt: skip

    def _share(self, y1: Floats, y2: Floats, level: Floats) -> Floats:
        share = partial(_share_of_noise, eps=self.light.eps, everywhere=self._all)
        return in_strips(share, [y1, y2, level, self.counted], reach=2)


def noise_ratio(control: NoiseFigure, trial: NoiseFigure) -> Ratio:
    """The trial's noise over the control's, with interval. Raises `RefusedError` when they cannot be compared."""
    must_compare("noise_ratio", control.noise, trial.noise)
    if control.noise.method != "twin":
        raise RefusedError("noise_ratio", "a guess from one picture is never ranked; render a twin of both sides")
    if control.noise.value <= 0.0 or trial.noise.value <= 0.0:
        raise RefusedError("noise_ratio", "a side shows no noise at all, so there is no ratio")
    value = trial.noise.value / control.noise.value
    interval = None
    if control.variance_error is not None and trial.variance_error is not None:
        relative = math.hypot(relative_error(control), relative_error(trial))
        interval = (value * math.exp(-1.96 * relative), value * math.exp(1.96 * relative))
    tie = interval is None or interval[0] <= 1.0 <= interval[1]
    return Ratio(value, interval, control.noise.method, VERSION, tie)


def twin_noise(pictures: Sequence[Floats], valid: Mask) -> NoiseFigure:
    """Noise of the whole picture from two or more seeds. Raises `RefusedError`."""
    return TwinNoise(Light(pictures, valid)).figure(Region(valid))


def _share_of_noise(y1: Floats, y2: Floats, level: Floats, counted: Mask, *, eps: float, everywhere: bool) -> Floats:
    dark = np.float32(eps**2)
    weight = np.asarray(1 / np.square(level), dtype=np.float32)
    if not everywhere:
        weight *= counted
    share = np.asarray(np.square(y1 - y2), dtype=np.float32)
    share *= weight
    share = np.asarray(box(share, 5) * np.float32(0.5))
    whole = np.asarray(y1 * y2, dtype=np.float32)
    whole += dark
    whole *= weight
    whole = box(whole, 5)
    # where twins share less light than eps the product says nothing; eps then is the brightness
    np.maximum(whole, box(weight, 5) * dark, out=whole)
    np.maximum(whole, np.float32(TINY), out=whole)
    np.maximum(share, 0.0, out=share)  # sums that run along leave rounding behind, of either sign
    share /= whole
    if not everywhere:
        share *= counted
    return share


def relative_error(figure: NoiseFigure) -> float:
    """Standard error of a noise figure over the figure, without what the method itself may be off; for ratios."""
    return (figure.variance_error or 0.0) / (2 * (figure.noise.value / 100) ** 2)
