"""The frontier of time against quality: options that no other beats in both, with ties as ties, and its knee."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from matchedpair.curves.curve import LITTLE
from matchedpair.curves.same import is_tie
from matchedpair.measures.figure import Interval

ON, TIE, BEATEN = "frontier", "tie", "beaten"
KNEE_SLOPE = math.log(LITTLE) / math.log(2.0)


@dataclass(frozen=True)
class Place:
    """Where an option lies: the less of both the better.

    Parameters
    ----------
    seconds, loss : float
        Time of one render, and noise (or whatever is to be small), both above 0.
    seconds_interval, loss_interval : (float, float) or None
    """

    seconds: float
    loss: float
    seconds_interval: Interval | None = None
    loss_interval: Interval | None = None


@dataclass(frozen=True)
class Frontier:
    """By option where it stands (``frontier``, ``tie`` with one on it, ``beaten``), by whom, and the knee.

    `order` lists the options on the frontier by rising time; `knee` is the last of them to which more time still pays.
    """

    standing: dict[str, str]
    beaten_by: dict[str, str]
    order: tuple[str, ...]
    knee: str


def frontier(places: Mapping[str, Place]) -> Frontier:
    """Which options no other beats in both time and quality.

    An option is beaten by one that is better in one and not worse in the other. Where neither difference can be told
    the two tie. The knee is the last option reached by a step that buys at least a tenth of the noise for twice the
    time.
    """
    order = unbeaten(places)
    standing = dict.fromkeys(order, ON)
    beaten_by: dict[str, str] = {}
    for name, own in places.items():
        if name in standing:
            continue
        better = [other for other in order if _beats(places[other], own)]
        apart = [other for other in better if not tied(places[other], own)]
        standing[name] = BEATEN if apart else TIE
        beaten_by[name] = min(apart or better, key=lambda other: math.hypot(*_steps(places[other], own)))
    return Frontier({name: standing[name] for name in places}, beaten_by, order, _knee(places, order))


def unbeaten(places: Mapping[str, Place]) -> tuple[str, ...]:
    """The options that no other beats, by rising time: a beaten one is always beaten by one of these."""
    found: list[str] = []
    for name in sorted(places, key=lambda name: (places[name].seconds, places[name].loss)):
        if not found or not _beats(places[found[-1]], places[name]):
            found.append(name)
    return tuple(found)


def _knee(places: Mapping[str, Place], order: tuple[str, ...]) -> str:
    if not order:
        return ""
    knee = order[0]
    for name in order[1:]:
        step = _steps(places[knee], places[name])
        if step[0] <= 0.0 or step[1] / step[0] <= KNEE_SLOPE:
            knee = name
    return knee


def _steps(first: Place, second: Place) -> tuple[float, float]:
    return math.log(second.seconds / first.seconds), math.log(second.loss / first.loss)


def _beats(one: Place, other: Place) -> bool:
    return (one.seconds <= other.seconds and one.loss <= other.loss) and (one.seconds, one.loss) != (
        other.seconds, other.loss
    )  # fmt: skip


def tied(one: Place, other: Place) -> bool:
    """Whether neither in time nor in quality a difference can be told."""
    seconds = _ratio_interval(other.seconds, one.seconds, other.seconds_interval, one.seconds_interval)
    loss = _ratio_interval(other.loss, one.loss, other.loss_interval, one.loss_interval)
    return is_tie(other.seconds / one.seconds, seconds) and is_tie(other.loss / one.loss, loss)


def _ratio_interval(top: float, bottom: float, first: Interval | None, second: Interval | None) -> Interval:
    """Of a ratio of two figures with intervals of their own; one without counts as exact."""
    value = top / bottom
    reaches = [
        math.log(ends[1] / ends[0]) / 2.0 if ends is not None and ends[0] > 0.0 else 0.0 for ends in (first, second)
    ]
    reach = math.hypot(*reaches)
    return value * math.exp(-reach), value * math.exp(reach)
