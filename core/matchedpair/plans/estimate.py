"""What a plan will cost, from runs made earlier; never without saying what the estimate rests on and how sure it is.

The likest earlier runs are taken: the same render, else the same at another size, else at another sample count, else
with other settings, else of another scene. Rendering time is carried over in proportion to pixels and samples; getting
ready is carried over as it is. How far such estimates are off, earlier studies tell: each is estimated from the others.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from statistics import mean, median
from typing import Any

from matchedpair.measures.figure import Interval

RENDERED, SIZE, SAMPLES, SETTINGS, SCENE = "rendered", "size", "samples", "settings", "scene"
# by how much an estimate is wrong, as the scatter of the logarithm, before earlier studies have told: wide, since a
# machine may be half as fast another day; it counts as much as what that many studies tell
SCATTER = {RENDERED: 0.25, SIZE: 0.3, SAMPLES: 0.35, SETTINGS: 0.5, SCENE: 0.9}
WEIGHT = 2.0
MOST_TRIED = 300
WORDS = {
    RENDERED: "the same render",
    SIZE: "the same render at another size",
    SAMPLES: "the same render with another number of samples",
    SETTINGS: "renders of this scene with other settings",
    SCENE: "renders of other scenes",
}
BYTES_A_PIXEL = 4.5  # half float, zip, of a noisy picture
REACH = 1.96


@dataclass(frozen=True)
class KnownCost:
    """What rendering costs or has cost: how it was rendered, and its seconds where it has been.

    Parameters
    ----------
    engine, scene, machine : str
        The engine with its build; the scene with revision, view, variant, frame and quantities.
    pixels : int
        Of the picture that is written.
    samples : float or None
        The quality knob where time is in proportion to it.
    settings : mapping
        All but the quality knob.
    study : object
        What was rendered together, within hours in which the machine was as fast as it was; any value that compares.
    """

    engine: str
    scene: str
    machine: str
    pixels: int
    samples: float | None
    settings: Mapping[str, Any] = field(default_factory=dict)
    seconds: float = 0.0
    ready_seconds: float = 0.0
    picture_bytes: int | None = None
    study: Hashable = None


@dataclass(frozen=True)
class Estimate:
    """Seconds of one render with a 95 % interval, bytes of its picture, and what that rests on.

    Parameters
    ----------
    basis : str
        ``rendered``, ``size``, ``samples``, ``settings`` or ``scene``.
    runs : int
        How many earlier runs it was got from.
    """

    seconds: float
    interval: Interval
    picture_bytes: float
    basis: str
    runs: int

    def words(self) -> str:
        """What it rests on."""
        return f"{self.runs} earlier {'run' if self.runs == 1 else 'runs'}: {WORDS[self.basis]}"


@dataclass(frozen=True)
class PlanCost:
    """A whole plan: seconds with interval and bytes of what can be estimated, and how many renders cannot."""

    seconds: float
    interval: Interval
    picture_bytes: float
    unknown: int


def estimate(wanted: KnownCost, known: Sequence[KnownCost], scatter: Mapping[str, float] = SCATTER) -> Estimate | None:
    """The cost of one render from earlier ones; None when nothing like it has been rendered on this machine.

    Parameters
    ----------
    scatter : mapping
        By basis how far such estimates are off, as `scatter_among` tells.
    """
    ranked = _ranked(wanted, known)
    basis = next((name for name in SCATTER if name in ranked), None)
    if basis is None:
        return None
    nearest = _nearest(wanted, ranked[basis])
    value, least, most, found = _carried_over(wanted, nearest, basis)
    reach = REACH * max(scatter[basis], found)
    sizes = [each.picture_bytes / each.pixels for each in nearest if each.picture_bytes]
    bytes_each = (median(sizes) if sizes else BYTES_A_PIXEL) * wanted.pixels
    interval = (least * math.exp(-reach), most * math.exp(reach))
    return Estimate(value, interval, bytes_each, basis, len(nearest))


def scatter_among(known: Sequence[KnownCost]) -> dict[str, float]:
    """By basis how far estimates are off, as the scatter of the logarithm, found where each study is estimated from all
    others; `SCATTER` is weighed in as `WEIGHT` studies.

    The errors within one study have one cause, an hour in which the machine was slow, so that a study counts once,
    however many its options are. Of many renders the first `MOST_TRIED` options are looked at.
    """
    options = _options(known)[:MOST_TRIED]
    squares: dict[str, dict[Hashable, list[float]]] = {basis: defaultdict(list) for basis in SCATTER}
    for wanted in options:
        ranked = _ranked(wanted, [each for each in options if each.study != wanted.study])
        for basis, alike in ranked.items():
            _, least, most, _ = _carried_over(wanted, _nearest(wanted, alike), basis)
            if wanted.seconds > 0 and least > 0:
                off = max(math.log(least / wanted.seconds), math.log(wanted.seconds / most), 0.0)
                squares[basis][wanted.study].append(off * off)
    return {
        basis: math.sqrt((WEIGHT * SCATTER[basis] ** 2 + sum(map(mean, found.values()))) / (WEIGHT + len(found)))
        for basis, found in squares.items()
    }


def plan_cost(rows: Sequence[tuple[Estimate | None, int]]) -> PlanCost:
    """The sum over options, each with how many renders it takes.

    The errors of the options of one plan have one cause, so they are taken to go together: the ends of the interval
    are the sums of the ends.
    """
    known = [(each, count) for each, count in rows if each is not None]
    return PlanCost(
        seconds=sum(each.seconds * count for each, count in known),
        interval=(
            sum(each.interval[0] * count for each, count in known),
            sum(each.interval[1] * count for each, count in known),
        ),
        picture_bytes=sum(each.picture_bytes * count for each, count in known),
        unknown=sum(count for each, count in rows if each is None),
    )


def _options(known: Sequence[KnownCost]) -> list[KnownCost]:
    """One row for each option of each study, with the median of its renders' seconds, in the order of the first."""
    renders: dict[Hashable, list[KnownCost]] = defaultdict(list)
    for each in known:
        settings = frozenset((name, repr(value)) for name, value in each.settings.items())
        place = (each.study, each.engine, each.machine, each.scene, settings, each.samples, each.pixels)
        renders[place].append(each)
    return [
        replace(
            row[0],
            seconds=median(each.seconds for each in row), ready_seconds=median(each.ready_seconds for each in row),
        )
        for row in renders.values()
    ]  # fmt: skip


def _ranked(wanted: KnownCost, known: Sequence[KnownCost]) -> dict[str, list[KnownCost]]:
    """Earlier renders by what they have in common with this one."""
    ranked: dict[str, list[KnownCost]] = {}
    for each in known:
        likeness = _likeness(wanted, each)
        if likeness:
            ranked.setdefault(likeness, []).append(each)
    return ranked


def _carried_over(wanted: KnownCost, nearest: Sequence[KnownCost], basis: str) -> tuple[float, float, float, float]:
    """Seconds of this render by those, the least and most of it, and the scatter of those in the logarithm.

    From another number of samples the least and most hold a time that goes with the square root of it, too: not every
    knob's time is in proportion to it.
    """
    seconds = [_carried(wanted, each) for each in nearest]
    value = median(seconds)
    logs = [math.log(s / value) for s in seconds if s > 0 and value > 0]
    scatter = math.sqrt(sum(x * x for x in logs) / len(logs)) if len(logs) > 2 else 0.0
    if basis != SAMPLES:
        return value, value, value, scatter
    other = median(_carried(wanted, each, power=0.5) for each in nearest)
    return value, min(value, other), max(value, other), scatter


def _likeness(wanted: KnownCost, other: KnownCost) -> str | None:
    if (wanted.engine, wanted.machine) != (other.engine, other.machine):
        return None
    if wanted.scene != other.scene:
        return SCENE
    if wanted.settings != other.settings:
        return SETTINGS
    if wanted.samples != other.samples:
        return SAMPLES
    return RENDERED if wanted.pixels == other.pixels else SIZE


def _nearest(wanted: KnownCost, known: Sequence[KnownCost]) -> list[KnownCost]:
    """Those whose settings, then whose work, are nearest: of settings how many differ, of work the ratio."""

    def distance(each: KnownCost) -> tuple[int, float]:
        names = {*wanted.settings, *each.settings}
        differing = sum(wanted.settings.get(name) != each.settings.get(name) for name in names)
        return differing, round(abs(math.log(_work(wanted) / _work(each))), 3)

    best = min(map(distance, known))
    return [each for each in known if distance(each) == best]


def _carried(wanted: KnownCost, known: KnownCost, power: float = 1.0) -> float:
    share = wanted.pixels / known.pixels
    if wanted.samples and known.samples:
        share *= (wanted.samples / known.samples) ** power
    return known.ready_seconds + max(known.seconds - known.ready_seconds, 0.0) * share


def _work(cost: KnownCost) -> float:
    return max(cost.pixels, 1) * max(cost.samples or 1.0, 1e-9)
