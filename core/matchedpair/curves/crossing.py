"""Where two options' curves of noise against time cross: which is cleaner up to there, and which beyond."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from matchedpair.curves.curve import BEYOND, Curve


@dataclass(frozen=True)
class Crossing:
    """One crossing; `first_before` says whether the first curve is the lower one (cleaner) before it."""

    seconds: float
    noise_percent: float
    first_before: bool


def crossings(first: Curve, second: Curve) -> list[Crossing]:
    """All crossings within the time that both ladders tell of, by rising time.

    With noise² = a·c/(t − t0) + b² of both, equality is a quadratic in t.
    """
    begin = max(curve.seconds_at(curve.lowest / BEYOND) for curve in (first, second))
    end = min(curve.seconds_at(curve.highest * BEYOND) for curve in (first, second))
    if begin >= end:
        return []
    p, q = first.a * first.c, second.a * second.c
    d, s, v = first.b**2 - second.b**2, first.t0, second.t0
    # p/(t − s) − q/(t − v) + d = 0, times both denominators
    roots = np.roots([d, p - q - d * (s + v), q * s - p * v + d * s * v])
    found = []
    for root in sorted(float(each.real) for each in roots if abs(each.imag) < 1e-9):
        if begin < root < end:
            just_before = root - 1e-3 * (root - max(s, v))
            before = _noise_in(first, just_before) < _noise_in(second, just_before)
            found.append(Crossing(root, _noise_in(first, root), before))
    return found


def _noise_in(curve: Curve, seconds: float) -> float:
    return curve.noise_at((seconds - curve.t0) / curve.c)
