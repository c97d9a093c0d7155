"""What a curve is drawn through: one option at one value of its quality knob, with its time and its noise."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Interval

CURVE = "curve"


@dataclass(frozen=True)
class Point:
    """One point of a curve.

    Parameters
    ----------
    quality : float
        Value of the quality knob, above 0: samples, or a noise target.
    seconds : float
        Of one render in all, getting ready with it.
    noise_percent : float
        Noise, or an error against a reference: whatever the curve is of.
    ready_seconds : float or None
        Of these, before the first light; None when the engine does not say.
    noise_interval : (float, float) or None
    seconds_interval : (float, float) or None
    """

    quality: float
    seconds: float
    noise_percent: float
    ready_seconds: float | None = None
    noise_interval: Interval | None = None
    seconds_interval: Interval | None = None

    def problem(self) -> str:
        """Why it cannot be used; empty when it can."""
        for value, what in ((self.quality, "quality"), (self.seconds, "time"), (self.noise_percent, "noise")):
            if not math.isfinite(value) or value <= 0.0:
                return f"a {what} of {value:g} is no point of a curve; it must be above 0"
        ready = self.ready_seconds
        if ready is not None and not 0.0 <= ready <= self.seconds:
            return f"{ready:g} s of getting ready do not fit into {self.seconds:g} s"
        return ""


def usable(points: Sequence[Point]) -> tuple[list[Point], list[str]]:
    """The points that can be used, by rising quality, and what is wrong with the others."""
    problems = [problem for point in points if (problem := point.problem())]
    return sorted((p for p in points if not p.problem()), key=lambda p: (p.quality, p.seconds)), problems


def levels(points: Sequence[Point]) -> list[float]:
    """The different values of the quality knob, rising."""
    return sorted({point.quality for point in points})


def must_be_a_ladder(points: Sequence[Point], least: int = 2) -> None:
    """Raise `RefusedError` for fewer than `least` different values of the quality knob."""
    there = len(levels(points))
    if there < least:
        raise RefusedError(
            CURVE, f"{there} of at least {least} steps of the quality knob have a time and a noise; render more steps"
        )
