"""How fast a method answers a change of light: a step and an exponential fitted to a zone's mean over the frames.

mean(t) = before + change·(1 − exp(−(t − first + 1)/tau)) from the first frame that differs on. A history that keeps the
share k of what was there has exp(−1/tau) = k. Frames to 90 % = tau·ln 10: by the fit, and never counted to the last
level, which a slow method has not reached when the sequence ends.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize_scalar

AT_ONCE = 0.3
LEAST_FRAMES = 5
EXPLAINED = 0.9  # of the variance of the means; less is no step but unrest
CERTAIN = 0.999  # with few frames a step must explain nearly all, since it is fitted with four numbers
FEW = 8
LEAST_CHANGE = 1e-3  # of the mean

Doubles = NDArray[np.float64]


@dataclass(frozen=True)
class Response:
    """One change of light.

    Parameters
    ----------
    frame : int
        The first frame that differs, counted from 0.
    tau : float
        In frames; 0 where the whole change is there at once.
    change : float
        Of the mean, relative to what was before.
    """

    frame: int
    tau: float
    change: float

    @property
    def at_once(self) -> bool:
        """Whether the change is there in its first frame as far as can be told."""
        return self.tau < AT_ONCE

    @property
    def frames_to_90(self) -> float:
        """Frames until nine tenths of the change are there."""
        return self.tau * math.log(10.0)

    def shape(self, frames: int) -> Doubles:
        """How much of the change is there at each frame, 0 to 1."""
        return _shape(self.frame, self.tau, frames)


def fit_response(means: Sequence[float]) -> Response | None:
    """The change of light in a zone's means by frame; None where there is no single change that explains them."""
    values = np.asarray(means, dtype=np.float64)
    count = len(values)
    unrest = float(np.sum(np.square(values - values.mean())))
    if count < LEAST_FRAMES or unrest <= (1e-9 * abs(values.mean())) ** 2 * count:
        return None
    rest, first, tau = min(_best_tau(values, first) for first in range(1, count))
    needed = EXPLAINED if count >= FEW else CERTAIN
    if unrest - rest < needed * unrest:
        return None
    before, change = _levels(values, _shape(first, tau, count))
    if abs(change) < LEAST_CHANGE * abs(before):
        return None
    return Response(first, tau, change / before if before else math.inf)


def _shape(first: int, tau: float, count: int) -> Doubles:
    since = np.arange(count) - first + 1.0
    grown = np.ones(count) if tau < 1e-6 else 1.0 - np.exp(-since / tau)
    return np.where(since > 0.0, grown, 0.0)


def _best_tau(values: Doubles, first: int) -> tuple[float, int, float]:
    """Least squares over tau for one first frame: the rest, the frame, tau."""

    def rest(log_tau: float) -> float:
        return _rest(values, _shape(first, math.exp(log_tau), len(values)))

    grid = np.linspace(math.log(0.05), math.log(4.0 * len(values)), 24)
    near = int(np.argmin([rest(each) for each in grid]))
    ends = grid[max(near - 1, 0)], grid[min(near + 1, len(grid) - 1)]
    found = minimize_scalar(rest, bounds=ends, method="bounded")
    at_once = _rest(values, _shape(first, 0.0, len(values)))
    # what a finite tau gains must be worth it: a step at once has one number less
    if at_once <= float(found.fun) * (1.0 + 1e-9) + 1e-15:
        return at_once, first, 0.0
    return float(found.fun), first, math.exp(float(found.x))


def _levels(values: Doubles, shape: Doubles) -> tuple[float, float]:
    (before, change), *_ = np.linalg.lstsq(np.stack([np.ones_like(shape), shape], axis=1), values, rcond=None)
    return float(before), float(change)


def _rest(values: Doubles, shape: Doubles) -> float:
    before, change = _levels(values, shape)
    return float(np.sum(np.square(values - before - change * shape)))
