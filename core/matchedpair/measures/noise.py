"""Noise of one picture by twins: the relative spread that another seed would show, in percent of the picture's
brightness.

For twins Y1, Y2: v = (Y1 − Y2)² / 2 is the variance of one picture, and Y1·Y2 is an unbiased estimate of its squared
brightness (the square of the mean is not: it holds half the variance). *Noise* is that of a typical place (`places`),
the default everywhere. *Total noise* is 100·√mean(q), q = box5(v / g²) / box5((Y1·Y2 + eps²) / g²), where g is an
edge-keeping level (`light`) and eps is 0.01·mean(Y): all of it, rare bright paths included, which may rule it.
Pixels left out or invalid count nowhere. Lower is better.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np
from scipy.special import gammaincinv

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure, Interval, Ratio, must_compare
from matchedpair.measures.light import ALL_PAIRS, TINY, Light
from matchedpair.measures.places import (
    METHOD_SHARE,
    NOTHING,
    TOO_FEW,
    Places,
    noise_places,
    place_ratio,
    places_figure,
    typical,
)
from matchedpair.measures.region import Region
from matchedpair.measures.twins import refuse_unless_twins
from matchedpair.pictures.filters import box
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.pictures.strips import in_strips, maps_in_strips

VERSION = 4
TOP_SHARE = 0.001
RARE = 12.0  # times the variance around it, above which a pixel's is an event of its own, not chance of normal noise
NO_TWIN = "there is no twin: render the same again with another seed"
TOTAL = "total"
MOST_OFF = 20.0  # of a logarithm; beyond it nothing is known


@dataclass(frozen=True)
class NoiseFigure:
    """Noise of one picture in one zone, in percent, by ``twin``.

    Parameters
    ----------
    noise : Figure
        Of a typical place; of all pixels where the zone is too small for places.
    worst : Figure
        Of the worst tenth of places.
    total : Figure
        Of all pixels, rare bright paths included.
    total_error : (float, float) or None
        How far its logarithm may be off downwards and upwards (95 %), the method's own share apart; for ratios.
    top_share : float
        Share of the total that sits in the noisiest 0.1 % of pixels, 0 to 1. Where it is large, rare bright paths rule
        and both twins may have missed others.
    places : Places or None
        What each place reads, for ratios; None in a zone that is too small.
    """

    noise: Figure
    worst: Figure
    total: Figure
    total_error: Interval | None
    top_share: float
    places: Places | None


class TwinNoise:
    """Noise of two or more seeds, from which each zone's figure is read; over more than two, of all pairs together.

    Parameters
    ----------
    light : Light
        All conditions alike but the seed.
    apart : ndarray of bool, shape (H, W), optional
        Pixels that do not count, such as fireflies.

    Raises
    ------
    RefusedError
        With fewer than two pictures, or when they are no twins.
    """

    def __init__(self, light: Light, apart: Mask | None = None) -> None:
        if len(light.y) < 2:
            raise RefusedError("noise", NO_TWIN)
        refuse_unless_twins(light)
        self.light = light
        self.counted = light.valid if apart is None else light.valid & ~apart
        self._all = light.all_valid and apart is None

    @property
    def q(self) -> Floats:
        """Relative variance of one picture around each pixel, shape (H, W); 0 where nothing counts."""
        return self._shares[0]

    @cached_property
    def _shares(self) -> tuple[Floats, Floats]:
        """q, and the squares that tell how sure its mean is."""
        rows = [self._share(y1, y2, level) for (y1, y2), level in zip(self.light.pairs, self.light.levels, strict=True)]
        q, own = (
            planes[0] if len(planes) == 1 else np.asarray(np.mean(planes, axis=0, dtype=np.float32))
            for planes in zip(*rows, strict=True)
        )
        # of normal noise the mean of all pairs scatters by 2/(k − 1) of its square, that of a ring by 3/k; the square
        # that is seen holds as much on top of 1
        count = len(self.light.y)
        scatter = 2.0 / (count - 1) if count <= ALL_PAIRS else 3.0 / count
        usual = np.float32(scatter / (1.0 + scatter))
        return q, in_strips(partial(_squares_of_shares, usual=usual), [own, q], reach=0)

    def percent(self) -> Floats:
        """The map of noise in percent of the brightness around each pixel; not a number where nothing counts."""
        return np.where(self.counted, 100 * np.sqrt(self.q), np.float32(np.nan))

    def places(self, region: Region) -> Places | None:
        """What each place of a region reads; None where there are too few."""
        spread, light, dark = self._planes
        return noise_places(spread, light, dark, region, self.light.correlation)

    @cached_property
    def _planes(self) -> list[Floats]:
        """Variance, squared brightness and squared darkness of one picture at each pixel, over the squared level."""
        planes = [self.light.levels[0], *self.light.y]
        return maps_in_strips(partial(_spread_and_light, eps=self.light.eps), planes, reach=0)

    def figure(self, region: Region) -> NoiseFigure:
        """Noise inside a region of `counted` pixels."""
        (total, error), top = self._total(region), self._top_share(region)
        places = self.places(region)
        if places is None:
            return NoiseFigure(total, total, total, error, top, None)
        read = typical(places)
        noise, worst = (places_figure(read, value, "%", VERSION) for value in (read.typical, read.worst_tenth))
        return NoiseFigure(_in_percent(noise), _in_percent(worst), total, error, top, places)

    def total(self, region: Region) -> Figure:
        """Noise of all pixels of a region, with an interval that knows rare bright paths and slow patches."""
        return self._total(region)[0]

    def _total(self, region: Region) -> tuple[Figure, Interval | None]:
        mean = region.mean(self.q)
        percent = 100 * math.sqrt(mean)
        error = variance_error(mean, self.light.correlation.area * region.mean(self._shares[1]) / region.count)
        interval = None
        if error is not None:
            below, above = (math.hypot(each, METHOD_SHARE) for each in error)
            interval = (percent * math.exp(-below), percent * math.exp(above))
        return Figure(percent, "%", interval, "twin", VERSION), error

    def _top_share(self, region: Region) -> float:
        values = region.values(self.q)
        few = max(1, round(values.size * TOP_SHARE))
        top = float(np.partition(values, values.size - few)[-few:].sum(dtype=np.float64))
        return min(top / max(float(values.sum(dtype=np.float64)), 1e-300), 1.0)

    def _share(self, y1: Floats, y2: Floats, level: Floats) -> list[Floats]:
        share = partial(_share_of_noise, eps=self.light.eps, everywhere=self._all)
        return maps_in_strips(share, [y1, y2, level, self.counted], reach=2)


def noise_ratio(control: NoiseFigure, trial: NoiseFigure) -> Ratio:
    """The trial's noise over the control's in the same place, with interval; of small zones that of the totals.

    Raises `RefusedError` when they cannot be compared.
    """
    must_compare("noise_ratio", control.noise, trial.noise)
    if control.noise.method != "twin":
        raise RefusedError("noise_ratio", "a guess from one picture is never ranked; render a twin of both sides")
    if control.places is None or trial.places is None:
        if control.places is not None or trial.places is not None:
            raise RefusedError("noise_ratio", TOO_FEW)
        return total_noise_ratio(control, trial)
    return place_ratio(control.places, trial.places, VERSION, least=NOTHING)


def total_noise_ratio(control: NoiseFigure, trial: NoiseFigure) -> Ratio:
    """The ratio of the noises of all pixels, rare bright paths included. Raises `RefusedError`."""
    must_compare("total_noise_ratio", control.total, trial.total)
    if control.total.value <= 0.0 or trial.total.value <= 0.0:
        raise RefusedError("total_noise_ratio", "a side shows no noise at all, so there is no ratio")
    value = trial.total.value / control.total.value
    ends = None
    if control.total_error and trial.total_error:
        below, above = (math.hypot(trial.total_error[end], control.total_error[1 - end]) for end in (0, 1))
        ends = (value * math.exp(-below), value * math.exp(above))
    tie = ends is None or ends[0] <= 1.0 <= ends[1]
    return Ratio(value, ends, TOTAL, VERSION, tie)


def twin_noise(pictures: Sequence[Floats], valid: Mask) -> NoiseFigure:
    """Noise of the whole picture from two or more seeds. Raises `RefusedError`."""
    return TwinNoise(Light(pictures, valid)).figure(Region(valid))


def variance_error(mean: float, squared_error: float) -> Interval | None:
    """How far the logarithm of √mean of a variance may be off, downwards and upwards (95 %), from the square of the
    mean's standard error: as of a chi-squared with as many degrees (Satterthwaite 1946), which leans upwards as far as
    rare events make it.
    """
    if mean <= 0.0 or squared_error <= 0.0:
        return None
    degrees = 2 * mean**2 / squared_error
    below, above = (abs(math.log(float(gammaincinv(degrees / 2, end)) * 2 / degrees)) / 2 for end in (0.975, 0.025))
    return below, min(above, MOST_OFF)


def relative_error(figure: Figure) -> float:
    """Standard error of a noise figure over the figure, from its interval."""
    if figure.interval is None or figure.value <= 0.0 or figure.interval[0] <= 0.0:
        return 0.0
    return math.log(figure.interval[1] / figure.interval[0]) / 2 / 1.96


def _in_percent(figure: Figure) -> Figure:
    low, high = figure.interval or (0.0, 0.0)
    return Figure(100 * figure.value, "%", (100 * low, 100 * high), figure.method, figure.version)


def _spread_and_light(level: Floats, *seeds: Floats, eps: float) -> list[Floats]:
    """Variance over the seeds, the mean of all products of two of them, and eps², all over the squared level."""
    count = len(seeds)
    total = sum(seeds[1:], seeds[0].copy())
    squares = sum((np.square(each) for each in seeds[1:]), np.square(seeds[0]))
    products = (np.square(total) - squares) / np.float32(count * (count - 1))
    mean = total / np.float32(count)
    spread = sum((np.square(each - mean) for each in seeds[1:]), np.square(seeds[0] - mean)) / np.float32(count - 1)
    weight = 1 / np.square(level)
    planes = (spread * weight, products * weight, np.float32(eps**2) * weight)
    return [np.asarray(plane, dtype=np.float32) for plane in planes]


def _squares_of_shares(own: Floats, around: Floats, *, usual: np.float32) -> Floats:
    """What each pixel adds to the squared error of the mean: rare bright ones count whole."""
    return np.asarray(np.square(own) * np.where(own > np.float32(RARE) * around, np.float32(1.0), usual))


def _share_of_noise(
    y1: Floats, y2: Floats, level: Floats, counted: Mask, *, eps: float, everywhere: bool
) -> list[Floats]:
    """q, and the same of each pixel alone."""
    dark = np.float32(eps**2)
    weight = np.asarray(1 / np.square(level), dtype=np.float32)
    if not everywhere:
        weight *= counted
    own = np.asarray(np.square(y1 - y2), dtype=np.float32)
    own *= weight
    own *= np.float32(0.5)
    share = np.asarray(box(own, 5))
    whole = np.asarray(y1 * y2, dtype=np.float32)
    whole += dark
    whole *= weight
    whole = box(whole, 5)
    # where twins share less light than eps the product says nothing; eps then is the brightness
    np.maximum(whole, box(weight, 5) * dark, out=whole)
    np.maximum(whole, np.float32(TINY), out=whole)
    np.maximum(share, 0.0, out=share)  # sums that run along leave rounding behind, of either sign
    share /= whole
    own /= whole
    if not everywhere:
        share *= counted
    return [share, own]
