"""Which setting matters: the effect of each factor's levels, and of two factors together, as ratios with intervals.

Figures are taken as logarithms, so that an effect is a ratio to the baseline's level. In a full table an effect is the
mean over all levels of the other factors (a main effect); in a plan of one thing at a time it is the step from the
baseline alone. The interaction of two levels is how much more (or less) both together change than each alone would
give: 1 when they do not care for each other.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from matchedpair.curves.same import is_tie
from matchedpair.measures.figure import Interval

Combination = tuple[int, ...]
STUDENT = 1.96


@dataclass(frozen=True)
class Response:
    """One option's figure: its natural logarithm, and the standard error of that."""

    value: float
    error: float


@dataclass(frozen=True)
class Effect:
    """What a level does to a figure against the baseline's level; `over` tells how many options each mean is over."""

    factor: int
    level: int
    ratio: float
    interval: Interval
    over: int

    @property
    def tie(self) -> bool:
        """Whether nothing can be told."""
        return is_tie(self.ratio, self.interval)


@dataclass(frozen=True)
class Interaction:
    """How far two levels together are from what each alone would give; 1 is not at all."""

    factors: tuple[int, int]
    levels: tuple[int, int]
    ratio: float
    interval: Interval

    @property
    def tie(self) -> bool:
        """Whether nothing can be told."""
        return is_tie(self.ratio, self.interval)


def main_effects(responses: Mapping[Combination, Response]) -> list[Effect]:
    """The effect of every level but the baseline's, over those combinations that are there with it and without it.

    Parameters
    ----------
    responses : mapping
        By combination: for each factor the number of its level, 0 being the baseline's.
    """
    effects = []
    for factor, level in _levels(responses):
        matched = [
            (responses[row], responses[without])
            for row in responses
            if row[factor] == level and (without := (*row[:factor], 0, *row[factor + 1 :])) in responses
        ]
        if matched:
            effects.append(Effect(factor, level, *_contrast(matched), len(matched)))
    return effects


def interactions(responses: Mapping[Combination, Response]) -> list[Interaction]:
    """The interaction of every two levels of different factors, where the plan has both, each, and neither."""
    found = []
    having: dict[tuple[int, int], set[Combination]] = {}
    for row in responses:
        for factor, level in enumerate(row):
            having.setdefault((factor, level), set()).add(row)
    for (f, m), (g, n) in combinations(_levels(responses), 2):
        if f == g:
            continue
        squares = []
        for row in sorted(having[(f, m)] & having[(g, n)]):
            others = [_with(row, {f: a, g: b}) for a, b in ((m, n), (m, 0), (0, n), (0, 0))]
            if all(other in responses for other in others):
                squares.append([responses[other] for other in others])
        if squares:
            value = sum(s[0].value - s[1].value - s[2].value + s[3].value for s in squares) / len(squares)
            error = math.sqrt(sum(each.error**2 for s in squares for each in s)) / len(squares)
            found.append(Interaction((f, g), (m, n), *_ratio(value, error)))
    return found


def by_weight(effects: Sequence[Effect]) -> list[int]:
    """The factors by how much their strongest level changes, the strongest first; what cannot be told comes last."""
    weight: dict[int, tuple[bool, float]] = {}
    for effect in effects:
        own = (not effect.tie, abs(math.log(effect.ratio)))
        weight[effect.factor] = max(weight.get(effect.factor, (False, 0.0)), own)
    return sorted(weight, key=lambda factor: weight[factor], reverse=True)


def _contrast(matched: Sequence[tuple[Response, Response]]) -> tuple[float, Interval]:
    value = sum(a.value - b.value for a, b in matched) / len(matched)
    error = math.sqrt(sum(a.error**2 + b.error**2 for a, b in matched)) / len(matched)
    return _ratio(value, error)


def _ratio(value: float, error: float) -> tuple[float, Interval]:
    return math.exp(value), (math.exp(value - STUDENT * error), math.exp(value + STUDENT * error))


def _levels(responses: Mapping[Combination, Response]) -> list[tuple[int, int]]:
    return sorted({(factor, level) for row in responses for factor, level in enumerate(row) if level})


def _with(row: Combination, changes: Mapping[int, int]) -> Combination:
    return tuple(changes.get(place, level) for place, level in enumerate(row))
