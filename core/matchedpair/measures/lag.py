"""How far a method lags behind the light: a sequence's zone means against those of another in step with it.

A history that keeps the share k of what was there turns the other's means R_t into s_t = k·s_(t−1) + (1 − k)·R_t, and
tau = −1/ln k frames. before + change·s_t is fitted to the means by least squares, relative to the means, for every tau:
so a method that is brighter or darker is no lag, and light that moves or changes several times is none either, which
the means of one sequence alone cannot tell. Frames to 90 % = tau·ln 10, by the fit. The interval holds every tau whose
rest is not larger than the least one's by more than chance explains (t-test, 95 %). What was there before the first
frame is taken to have been as the first frame is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate

import numpy as np
from scipy.optimize import brentq, minimize_scalar
from scipy.special import stdtrit

from matchedpair.errors import RefusedError
from matchedpair.measures.response import AT_ONCE
from matchedpair.pictures.picture import Doubles

LEAST_FRAMES = 6
LEAST_CHANGE = 0.01  # of the mean light; what changes less shows no lag
FOLLOWS = 0.98  # of the variance of the means that the other's must explain: a look that shifts seems to lag
EPS_SHARE = 0.01
SHORTEST, STEPS = 0.02, 240
TOO_WIDE = 0.5  # of the number of frames


@dataclass(frozen=True)
class Lag:
    """A history's time in frames, with its 95 % interval; 0 where what changes is there at once."""

    tau: float
    interval: tuple[float, float]

    @property
    def at_once(self) -> bool:
        """Whether no lag can be told."""
        return self.interval[0] < AT_ONCE

    @property
    def frames_to_90(self) -> float:
        """Frames until nine tenths of a change are there."""
        return self.tau * math.log(10.0)

    @property
    def frames_to_90_interval(self) -> tuple[float, float]:
        """Its 95 % interval."""
        low, high = self.interval
        return low * math.log(10.0), high * math.log(10.0)


def fit_lag(means: Sequence[float], others: Sequence[float]) -> Lag:
    """The lag of a zone's means by frame behind those of a sequence that answers at once, such as a reference.

    Raises
    ------
    RefusedError
        With too few frames, when the light hardly changes, when the means do not follow it, or when it changes so
        near the end that lag looks like another brightness.
    """
    values, light = np.asarray(means, dtype=np.float64), np.asarray(others, dtype=np.float64)
    count = len(values)
    if len(light) != count:
        raise RefusedError("lag", f"{count} frames need as many of the other sequence")
    if count < LEAST_FRAMES:
        raise RefusedError("lag", f"{count} frames are too few to tell lag; give at least {LEAST_FRAMES}")
    level = float(np.abs(light).mean())
    if float(np.ptp(light)) <= LEAST_CHANGE * level:
        raise RefusedError("lag", "the light hardly changes over these frames")
    fit = _Fit(values, light, 1.0 / np.hypot(values, EPS_SHARE * float(np.abs(values).mean())))
    taus = np.concatenate([[0.0], np.geomspace(SHORTEST, 2.0 * count, STEPS)])
    rests = np.array([fit.rest(tau) for tau in taus])
    near = int(np.argmin(rests))
    tau, least = float(taus[near]), float(rests[near])
    if 0 < near < len(taus) - 1:
        found = minimize_scalar(fit.rest, bounds=(taus[near - 1], taus[near + 1]), method="bounded")
        if float(found.fun) < least:
            tau, least = float(found.x), float(found.fun)
    if fit.unrest - least < FOLLOWS * fit.unrest:
        raise RefusedError(
            "lag", "the means do not follow the light closely enough to tell lag from a look that shifts"
        )
    allowed = least * (1.0 + float(stdtrit(count - 3, 0.975)) ** 2 / (count - 3)) + 1e-12 * fit.unrest
    beyond = taus[rests > allowed]
    interval = (
        fit.crossing(float(max(beyond[beyond < tau], default=0.0)), tau, allowed),
        fit.crossing(float(min(beyond[beyond > tau], default=taus[-1])), tau, allowed),
    )
    if interval[1] - interval[0] > TOO_WIDE * count:
        raise RefusedError("lag", "the light changes too near the end, or too little, to tell lag")
    return Lag(tau, interval)


class _Fit:
    """Least squares of before + change·s over the frames, weighted."""

    def __init__(self, values: Doubles, light: Doubles, weight: Doubles) -> None:
        self.values, self.light, self.weight = values * weight, light, weight
        level = float(np.sum(self.values * weight) / np.sum(np.square(weight)))
        self.unrest = float(np.sum(np.square(self.values - level * weight)))

    def rest(self, tau: float) -> float:
        """The weighted sum of squares that is left."""
        keep = math.exp(-1.0 / tau) if tau > 0.0 else 0.0
        behind = list(accumulate(self.light, lambda shown, light: keep * shown + (1.0 - keep) * light))
        sides = np.stack([self.weight, np.array(behind) * self.weight], axis=1)
        levels, *_ = np.linalg.lstsq(sides, self.values, rcond=None)
        return float(np.sum(np.square(self.values - sides @ levels)))

    def crossing(self, end: float, tau: float, allowed: float) -> float:
        """Between an end and the best tau: where the rest is as large as allowed, or the end."""
        if self.rest(end) <= allowed:
            return end
        return float(brentq(lambda each: self.rest(each) - allowed, end, tau))
