"""Which of several figures of one kind is best, if any is: ties are ties, and unlike figures are not ranked."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from matchedpair.measures.figure import UNRANKED_METHODS, Figure, Interval
from matchedpair.measures.kinds import NEAREST_0, NEAREST_1, NEITHER, Kind

Key = TypeVar("Key", bound=Hashable)
BEST, TIE, NOT_RANKED = "best", "tie", ""


@dataclass(frozen=True)
class Ranked:
    """Where a figure stands: ``best``, ``tie`` with the best, or empty; `why_not` says why it is not ranked at all."""

    standing: str
    why_not: str = ""


def rank(
    figures: Mapping[Key, Figure], kind: Kind, told_apart: Callable[[Key, Key], bool] | None = None
) -> dict[Key, Ranked]:
    """Where each figure stands among those that can be compared.

    A figure is best when it is told apart from every other: when their difference is larger than both intervals
    together, or as `told_apart` says by a finer test. Those that are not told apart from the best tie with it. Nothing
    is best among fewer than two. Figures without interval, by a guess, or got another way are not ranked.
    """
    found: dict[Key, Ranked] = {}
    able: dict[Key, Spread] = {}
    methods = [
        figure.method for figure in figures.values() if figure.interval and figure.method not in UNRANKED_METHODS
    ]
    usual = max(sorted(set(methods)), key=methods.count, default="")
    newest = max((figure.version for figure in figures.values()), default=0)
    for key, figure in figures.items():
        reason = _why_not(figure, kind, usual, newest)
        if reason or figure.interval is None:
            found[key] = Ranked(NOT_RANKED, reason)
        else:
            able[key] = _distance(figure.value, figure.interval, kind)
    if len(able) < 2:
        return found | {key: Ranked(NOT_RANKED) for key in able}
    first = min(able, key=lambda key: able[key].value)
    apart = told_apart or (lambda one, other: _apart(able[one], able[other]))
    tied = {key for key in able if key == first or not apart(first, key)}
    standing = BEST if tied == {first} else TIE
    return found | {key: Ranked(standing if key in tied else NOT_RANKED) for key in able}


@dataclass(frozen=True)
class Spread:
    """How far a figure is from the best there could be, and how far its interval reaches to either side."""

    value: float
    below: float
    above: float


def _apart(better: Spread, worse: Spread) -> bool:
    return worse.value - better.value > math.hypot(better.above, worse.below)


def _why_not(figure: Figure, kind: Kind, usual: str, newest: int) -> str:
    if kind.better == NEITHER:
        return "no value of it is better than another"
    if figure.method in UNRANKED_METHODS:
        return "a guess from one picture is never ranked"
    if figure.interval is None:
        return "it has no interval, so nothing tells a difference from chance"
    if figure.version != newest:
        return "it was got by an older version of the method"
    if figure.method != usual:
        return f"it was got by {figure.method}, the others by {usual}"
    return ""


def _distance(value: float, interval: Interval, kind: Kind) -> Spread:
    below, above = max(value - interval[0], 0.0), max(interval[1] - value, 0.0)
    if kind.better not in (NEAREST_0, NEAREST_1):
        return Spread(value, below, above)
    off = value - (1.0 if kind.better == NEAREST_1 else 0.0)
    return Spread(off, below, above) if off >= 0.0 else Spread(-off, above, below)
