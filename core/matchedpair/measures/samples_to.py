"""How many times its samples bring a render to an error, from how its visible error falls with samples.

Where single places keep a lasting error s and show noise v, the error of m times the samples is e(m), the mean over
the places of √(s² + v²/m). Whatever the places are, e² is concave in 1/m, its slope never less than that of noise
alone, and log e is convex in log m. With the error of one picture, e(1), and of the mean of K seeds, e(K), which is
what K times the samples give, e lies between two curves. A single law from mean error and mean noise takes error in a
small part of the picture for error of all of it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from matchedpair.measures.figure import Figure, Interval

LAW = 0.03  # how far what an eye sees of noise strays from the root of the samples, measured on made pictures
LEAST = 0.01  # of a figure, down to which its interval is believed
MOST_LOG = 300.0


@dataclass(frozen=True)
class Convergence:
    """The visible error of one option against its reference, in ΔE.

    Parameters
    ----------
    seeds : int
        How many pictures differ: 1 of an engine without noise.
    one : Figure
        Of one picture: the mean over the seeds.
    every : Figure or None
        Of the mean of all seeds; None for one seed.
    noise : float or None
        Visible noise of one picture; 0 for an engine without noise, None where one seed does not tell.
    lasting : float
        What would be left of the error whatever the samples, at least.
    """

    seeds: int
    one: Figure
    every: Figure | None = None
    noise: float | None = None
    lasting: float = 0.0


@dataclass(frozen=True)
class Samples:
    """How many times its samples bring an option to an error: between which two, and the middle of both, the upper end
    where there is one seed; `value` is infinite where that is.
    """

    value: float
    low: float
    high: float


def samples_to(own: Convergence, aim: Figure) -> Samples:
    """How many times its samples an option takes to another render's visible error `aim`, above 0.

    The interval holds both curves that the error lies between, and chance in each figure.
    """
    if own.noise == 0.0 or aim.value <= 0.0 or own.one.value <= 0.0:
        exact = 1.0 if own.one.value <= aim.value else math.inf
        return Samples(exact, exact, exact)
    low, high = _between(own, aim.value)
    least, most = zip(*(_between(changed, to) for changed, to in _shifted(own, aim)), strict=True)
    low, high = _moved(low, least, -1), _moved(high, most, 1)
    low, high = low * math.exp(-LAW), high * math.exp(LAW)
    return Samples(high if own.noise is None else math.sqrt(low * high), low, high)


def _moved(end: float, shifted: Sequence[float], way: int) -> float:
    """An end of the interval, moved by what chance in each figure, of which there are two shifts each, does to it."""
    if math.isinf(end):
        return min(shifted) if way < 0 else end
    steps = [max(0.0, *(way * math.log(each / end) for each in two)) for two in zip(*[iter(shifted)] * 2, strict=True)]
    return end * math.exp(way * math.hypot(*steps))


def _between(own: Convergence, aim: float) -> Interval:
    """The samples by either curve; without a second seed all of the error may be noise, or none of it."""
    one = own.one.value
    if own.every is None or own.noise is None:
        if_noise = (one / aim) ** 2
        return (LEAST * if_noise, if_noise) if one <= aim else (if_noise, math.inf)
    every = min(own.every.value, one)
    slope = (one**2 - every**2) / (1 - 1 / own.seeds)
    if aim >= one:
        ends = [1 / (1 + (aim**2 - one**2) / each**2) if each > 0.0 else 1.0 for each in (own.noise, math.sqrt(slope))]
        return min(ends), max(ends)
    lasting = one**2 - slope
    by_law = slope / (aim**2 - lasting) if aim**2 > lasting else math.inf
    power = math.log(one / every) / math.log(own.seeds) if every > 0.0 else 0.5
    by_power = math.exp(min(math.log(one / aim) / power, MOST_LOG)) if power > 0.0 else math.inf
    return min(by_law, by_power), max(by_law, by_power)


def _shifted(own: Convergence, aim: Figure) -> list[tuple[Convergence, float]]:
    """Each figure at either end of its interval, which stays above 0, the others as they are."""
    found = [(own, end) for end in _ends(aim)]
    found += [(replace(own, one=replace(own.one, value=end)), aim.value) for end in _ends(own.one)]
    if own.every is not None:
        found += [(replace(own, every=replace(own.every, value=end)), aim.value) for end in own.every.ends]
    return found


def _ends(figure: Figure) -> Interval:
    low, high = figure.ends
    return max(low, LEAST * figure.value), high
