"""Where two options' curves of noise against time cross: which is cleaner up to there, and which beyond."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from matchedpair.curves.curve import BEYOND, Curve

CHANCE = 0.025


@dataclass(frozen=True)
class Crossing:
    """One crossing; `first_before` says whether the first curve is the lower one (cleaner) before it."""

    seconds: float
    noise_percent: float
    first_before: bool


def crossings(first: Curve, second: Curve) -> list[Crossing]:
    """The crossings within the time that both ladders tell of, by rising time, that are more than chance.

    With noise² = a·c/(t − t0) + b² of both, equality is a quadratic in t. On either side of a crossing, half-way to the
    next or to the ladder's end, all but one in forty of the drawn ladders must have the same curve below.
    """
    begin = max(curve.seconds_at(curve.lowest / BEYOND) for curve in (first, second))
    end = min(curve.seconds_at(curve.highest * BEYOND) for curve in (first, second))
    if begin >= end:
        return []
    p, q = first.a * first.c, second.a * second.c
    d, s, v = first.b**2 - second.b**2, first.t0, second.t0
    # p/(t − s) − q/(t − v) + d = 0, times both denominators
    roots = np.roots([d, p - q - d * (s + v), q * s - p * v + d * s * v])
    inside = sorted(float(each.real) for each in roots if abs(each.imag) < 1e-9 and begin < each.real < end)
    found = []
    for before, root, after in zip([begin, *inside], inside, [*inside[1:], end], strict=False):
        below = [_share_below(first, second, math.sqrt(root * other)) for other in (before, after)]
        if min(below) <= CHANCE and max(below) >= 1.0 - CHANCE:
            found.append(Crossing(root, _noise_in(first, root), below[0] > 0.5))
    return found


def _share_below(first: Curve, second: Curve, seconds: float) -> float:
    """In how many of the drawn ladders the first curve is the lower one at a time."""
    squares = []
    for curve in (first, second):
        a, floor, t0, c = curve.draws.T
        with np.errstate(divide="ignore", invalid="ignore"):
            squares.append(np.where(seconds > t0, a * c / (seconds - t0) + floor, np.inf))
    return float(np.mean(squares[0] < squares[1]))


def _noise_in(curve: Curve, seconds: float) -> float:
    return curve.noise_at((seconds - curve.t0) / curve.c)
