"""How an option's noise falls with its quality knob and with time: noise² = a/N + b², t = t0 + c·N.

Both are fitted by least squares of relative residuals with nothing negative, so that a point at few samples counts as
much as one at many; a point that says how sure it is counts by that. What is uncertain is got by drawing the ladder
again: from the fitted laws, with the points' own errors (else what is usual, `NOISE_SCATTER` and `TIME_SCATTER`) times
the factor that the residuals show. Few points say little of it, so 1 is weighed in like `PRIOR_COUNT` further points,
and intervals are Student's.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.special import stdtrit

from matchedpair.curves.points import CURVE, Point, levels, must_be_a_ladder, usable
from matchedpair.curves.two_terms import Numbers, fit_two_terms, relative_residuals
from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Interval

VERSION = 1
NOISE_SCATTER = 0.015  # of noise measured by twins, relative
TIME_SCATTER = 0.06  # of one render's time, relative
LEAST_SCATTER = 0.003
PRIOR_COUNT = 4
DRAWS = 400
BEYOND = 2.0  # nothing is told beyond twice the measured ladder
MISFIT = 0.1
IDEAL_SLOPE = -0.5
LITTLE = 0.9  # twice the samples leave this share of the noise: more time has stopped paying


@dataclass(frozen=True)
class Curve:
    """The fitted laws of one option.

    Parameters
    ----------
    a, b : float
        noise_percent² = a/N + b²; b is the floor in percent.
    t0, c : float
        seconds = t0 + c·N; t0 holds getting ready and whatever else does not grow.
    draws : ndarray, shape (DRAWS, 4)
        a, b², t0, c of ladders drawn anew.
    freedom : float
        Degrees of freedom of the scatter.
    slope, slope_interval : float, (float, float) or None
        Of log noise against log N; −½ where every sample counts.
    """

    points: tuple[Point, ...]
    a: float
    b: float
    t0: float
    c: float
    draws: Numbers
    freedom: float
    slope: float
    slope_interval: Interval | None
    noise_misfit: float
    time_misfit: float
    problems: tuple[str, ...] = ()

    @property
    def lowest(self) -> float:
        """The ladder's first value of the quality knob."""
        return self.points[0].quality

    @property
    def highest(self) -> float:
        """Its last."""
        return self.points[-1].quality

    @property
    def follows_the_law(self) -> bool:
        """Whether both laws pass through the points within a tenth."""
        return self.noise_misfit <= MISFIT and self.time_misfit <= MISFIT

    def noise_at(self, quality: float) -> float:
        """Noise in percent at a value of the knob."""
        return math.sqrt(self.a / quality + self.b**2)

    def seconds_at(self, quality: float) -> float:
        """Seconds at a value of the knob."""
        return self.t0 + self.c * quality

    def within_reach(self, quality: float) -> bool:
        """Whether the measured ladder says anything of this value: at most twice as far on either side."""
        return self.lowest / BEYOND <= quality <= self.highest * BEYOND

    @cached_property
    def floor_interval(self) -> Interval:
        """95 % interval of the floor b, in percent."""
        low, high = np.percentile(self.draws[:, 1], [2.5, 97.5])
        return (math.sqrt(max(float(low), 0.0)), math.sqrt(max(float(high), 0.0)))

    @property
    def has_floor(self) -> bool:
        """Whether the floor is more than chance: it needs three steps, and an interval well above 0."""
        return len(levels(self.points)) > 2 and self.floor_interval[0] > 0.1 * self.b > 0.0

    @property
    def stops_paying_at(self) -> float | None:
        """The value of the knob past which twice the samples take less than a tenth of the noise away.

        From a/2N + b² = 0.81·(a/N + b²). None without a floor.
        """
        return (LITTLE**2 - 0.5) / (1.0 - LITTLE**2) * self.a / self.b**2 if self.has_floor else None


def spread_of(value: float, logs: Numbers, freedom: float) -> Interval | None:
    """Student's interval about a positive value from the logarithms of its draws, skewed as they are.

    None when half of the draws have no value.
    """
    known = logs[np.isfinite(logs)]
    if len(known) < len(logs) / 2:
        return None
    wider = float(stdtrit(freedom, 0.975)) / 1.96
    low, middle, high = np.percentile(known, [2.5, 50.0, 97.5])
    return value * math.exp(-wider * (middle - low)), value * math.exp(wider * (high - middle))


def fit_curve(points: Sequence[Point]) -> Curve:
    """The laws through a ladder's points.

    Raises
    ------
    RefusedError
        With fewer than two usable steps, where noise rises with quality, or where time does not grow with it.
    """
    good, problems = usable(points)
    if problems and len(levels(good)) < 2:
        raise RefusedError(CURVE, problems[0])
    must_be_a_ladder(good)
    N = np.array([p.quality for p in good])
    square = np.array([p.noise_percent for p in good]) ** 2
    ready = _ready(good)
    rest = np.array([p.seconds for p in good]) - ready
    own = _own_scatter(good)
    noise = fit_two_terms(1.0 / N, square, own[0])
    if noise[0] <= 0.0:
        raise RefusedError(CURVE, "noise does not fall as quality rises")
    if np.any(rest <= 0.0):
        raise RefusedError(CURVE, "some times are all getting ready; nothing is left that could grow with quality")
    time = fit_two_terms(N, rest, own[1])
    if time[0] <= 0.0:
        raise RefusedError(CURVE, "time does not grow with quality")
    residuals = relative_residuals(noise, 1.0 / N, square), relative_residuals(time, N, rest)
    scatter = [each * _excess(rest_of / each) for each, rest_of in zip(own, residuals, strict=True)]
    # seeded by the points: the same each time, and independent from curve to curve
    dice = np.random.default_rng(np.concatenate([N, square, rest]).view(np.uint32))
    drawn = [
        fit_two_terms(u, (p[0] * u + p[1]) * np.exp(sigma * dice.standard_normal((DRAWS, len(N)))), sigma)
        for u, p, sigma in ((1.0 / N, noise, scatter[0]), (N, time, scatter[1]))
    ]
    drawn[1][:, 1] += ready
    slope, slope_interval = _slope(np.log(N), 0.5 * np.log(square))
    return Curve(
        tuple(good), float(noise[0]), math.sqrt(float(noise[1])), float(time[1]) + ready, float(time[0]),
        np.concatenate([drawn[0], drawn[1][:, ::-1]], axis=1), PRIOR_COUNT + max(len(N) - 2, 0), slope, slope_interval,
        _rms(residuals[0]) / 2.0, _rms(residuals[1]), tuple(problems),
    )  # fmt: skip


def _ready(points: Sequence[Point]) -> float:
    """What the engine says of getting ready, where it says it of every point; the fit may find that more is fixed."""
    known = [p.ready_seconds for p in points if p.ready_seconds is not None]
    return float(np.median(known)) if len(known) == len(points) else 0.0


def _own_scatter(points: Sequence[Point]) -> tuple[Numbers, Numbers]:
    """Relative standard errors of noise² and of time, from each point's interval or what is usual."""
    noise = [2.0 * _relative(p.noise_interval, NOISE_SCATTER) for p in points]
    return np.array(noise), np.array([_relative(p.seconds_interval, TIME_SCATTER) for p in points])


def _relative(interval: Interval | None, usual: float) -> float:
    if interval is None or interval[0] <= 0.0:
        return usual
    return max(math.log(interval[1] / interval[0]) / 2.0 / 1.96, LEAST_SCATTER)


def _excess(standardised: Numbers) -> float:
    """By what factor the points scatter more (or less) than their own errors say, the prior weighed in."""
    freedom = max(len(standardised) - 2, 0)
    whole = PRIOR_COUNT + (float(np.sum(standardised**2)) if freedom else 0.0)
    return math.sqrt(whole / (PRIOR_COUNT + freedom))


def _slope(x: Numbers, y: Numbers) -> tuple[float, Interval | None]:
    """Slope of a straight line with its 95 % interval; None with two steps, which say nothing of their scatter."""
    off = x - np.mean(x)
    slope = float(np.sum(off * y) / np.sum(off**2))
    if len(x) < 3:
        return slope, None
    rest = y - np.mean(y) - slope * off
    error = math.sqrt(float(np.sum(rest**2)) / (len(x) - 2) / float(np.sum(off**2)))
    reach = float(stdtrit(len(x) - 2, 0.975)) * error
    return slope, (slope - reach, slope + reach)


def _rms(values: Numbers) -> float:
    return float(np.sqrt(np.mean(values**2)))
