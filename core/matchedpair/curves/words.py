"""What curves say, in words: where more time stops paying, where an option flattens, which crosses which and where."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import combinations

from matchedpair.curves.crossing import crossings
from matchedpair.curves.curve import BEYOND, IDEAL_SLOPE, LITTLE, Curve
from matchedpair.measures.figure import Interval, three

WORTH_SAYING = 0.03
LARGE_START = 0.3
LITTLE_SHARE = f"{100 * (1 - LITTLE):.0f} %"


def curve_in_words(curve: Curve, knob: str = "samples") -> list[str]:
    """What one option's curve says, a sentence each."""
    said = [_flattening(curve, knob), _slope(curve.slope, curve.slope_interval)]
    lowest = curve.seconds_at(curve.lowest)
    if curve.t0 > LARGE_START * lowest:
        said.append(f"{three(curve.t0)} s of every render do not depend on {knob}.")
    if not curve.follows_the_law:
        parts = [
            f"{what} by {100 * misfit:.0f} %"
            for what, misfit in (("noise", curve.noise_misfit), ("time", curve.time_misfit)) if misfit > 0.1
        ]  # fmt: skip
        said.append(f"The points lie off the fitted law ({' and '.join(parts)}): take what is read from it as rough.")
    return [text for text in said if text]


def crossings_in_words(curves: Mapping[str, Curve]) -> list[str]:
    """Which option's curve crosses which, and where; one sentence a crossing."""
    said = []
    for (one, first), (other, second) in combinations(curves.items(), 2):
        for crossing in crossings(first, second):
            before, after = (one, other) if crossing.first_before else (other, one)
            said.append(
                f"Up to {three(crossing.seconds)} s {before} is cleaner, beyond that {after}; "
                f"there both have {three(crossing.noise_percent)} % noise."
            )
    return said


def knee_in_words(names: Sequence[str], knee: str) -> str:
    """Which option of a frontier is the last that pays; empty for an empty frontier."""
    if not names:
        return ""
    if names[-1] == knee:
        return f"Up to {knee}, the slowest of them, more time still pays."
    return f"Past {knee} more time stops paying: twice the time takes less than {LITTLE_SHARE} of the noise away."


def _flattening(curve: Curve, knob: str) -> str:
    at = curve.stops_paying_at
    if at is None or not curve.has_floor:
        return f"More time still pays at the ladder's end: no floor shows up to {three(curve.highest)} {knob}."
    low, high = curve.floor_interval
    floor = f"It flattens out at {three(curve.b)} % ({three(low)} to {three(high)})"
    if at > curve.highest * BEYOND:
        return f"{floor}, but within the ladder more time still pays."
    if at < curve.lowest:
        return f"{floor}. Already at its first step more time pays little: the floor is most of its noise."
    where = f"{three(at)} {knob} ({three(curve.seconds_at(at))} s)"
    little = f"twice the {knob} take less than {LITTLE_SHARE} of the noise away"
    return f"{floor}. Past {where} more time stops paying: {little}."


def _slope(slope: float, interval: Interval | None) -> str:
    if interval is None or abs(slope - IDEAL_SLOPE) < WORTH_SAYING or interval[0] <= IDEAL_SLOPE <= interval[1]:
        return ""
    how = "slower" if slope > IDEAL_SLOPE else "faster"
    spread = f"{interval[0]:.2f} to {interval[1]:.2f}"
    words = f"Noise falls {how} than with the square root: its slope is {slope:.2f} ({spread}), not -0.50."
    return words.replace("-0.", "−0.")
