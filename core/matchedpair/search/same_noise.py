"""Finds the value of a quality knob at which an option has a wanted noise, or takes a wanted time.

A state machine without input or output: what was tried goes in, the next thing to render or the end comes out. It first
makes a *pilot*: cheap steps of the knob, each `STEP` times the last, until two of them lie on either side of the target
or the law noise² = a/N + b² (t = t0 + c·N) holds through three of them and says where the target lies. Then it renders
there, and once more where that was off, with no more than `MOST_RENDERS` renders beyond the pilot, twins counted
singly. Knobs of unknown shape, such as a noise target, need only be monotone: between two steps the figure is read
along a line in log–log.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Literal

import numpy as np

from matchedpair.curves.two_terms import Numbers, fit_two_terms, relative_residuals
from matchedpair.search.step import SearchStep, Wanted

NOISE, TIME = "noise", "time"
WITHIN = 0.03
MOST_RENDERS = 5
MOST_PILOT = 6
STEP = 4.0
LAW_HOLDS = {NOISE: 0.04, TIME: 0.12}  # times scatter more
SCATTER = {NOISE: 0.9, TIME: 0.75}
APART = 1.5  # values of the knob nearer than this may come out in either order
FLAT = 0.05
LEAST_SLOPE = 0.1
TINY_STEP = 0.01

State = Literal["pilot", "refine", "sure", "closest", "not_reachable", "failed"]


@dataclass(frozen=True)
class Knob:
    """The quality knob's setting, and what values it takes."""

    name: str
    minimum: float
    maximum: float
    whole: bool

    def fitted(self, value: float) -> float:
        """The nearest value that it takes."""
        inside = min(max(value, self.minimum), self.maximum)
        return (
            float(min(max(round(inside), math.ceil(self.minimum)), math.floor(self.maximum))) if self.whole else inside
        )


@dataclass(frozen=True)
class Tried:
    """A value of the knob that was rendered, and the figure it gave; None when its render failed."""

    quality: float
    figure: float | None
    refining: bool = False
    renders: int = 2


@dataclass(frozen=True)
class Step(SearchStep):
    """What to do now: render at `quality` of the knob (``pilot`` or ``refine``), or why it is over.

    ``sure``: `quality` is within 3 % of the target. ``closest``: the renders are used up; `quality` is the nearest.
    ``not_reachable``: below the floor or at the knob's end. ``failed``: a render failed or gave no figure.
    """

    state: State
    quality: float | None


def next_step(
    on: str, target: float, tried: Sequence[Tried], knob: Knob, *, begin: float, renders_each: int = 2,
    within: float = WITHIN, most_renders: int = MOST_RENDERS,
) -> Step:  # fmt: skip
    """The next step of a search.

    Parameters
    ----------
    on : str
        ``noise`` or ``time``.
    target : float
        The wanted noise in percent, or seconds.
    begin : float
        Where the pilot begins: the option's own value of the knob.
    renders_each : int
        Renders that one value of the knob takes: its seeds.
    """

    def step(state: State, quality: float | None, words: str) -> Step:
        wanted = Wanted({knob.name: quality}) if quality is not None and state in ("pilot", "refine") else None
        return Step(state, quality, words=words, wanted=wanted)

    failed = next((each for each in tried if each.figure is None or each.figure <= 0.0), None)
    if failed is not None:
        return step("failed", None, f"the render at {failed.quality:g} failed or gave no figure; see what went wrong")
    known = sorted({each.quality: each.figure for each in tried if each.figure is not None}.items())
    if not known:
        return step("pilot", knob.fitted(begin), "a first render shows where the search begins")
    closest = min(known, key=lambda row: abs(math.log(row[1] / target)))
    off = closest[1] / target - 1.0
    if abs(off) <= within:
        return step("sure", closest[0], f"{_unit(on, closest[1])} is {_off(off)} the target")
    if len(known) > 1 and _rises(on, known) is None:
        return step("failed", None, _not_monotone(on, known))
    guess = _Guess(on, target, known, knob)
    if guess.unreachable:
        return step("not_reachable", closest[0], guess.unreachable)
    renders_left = most_renders - sum(each.renders for each in tried if each.refining)
    pilots_left = MOST_PILOT - sum(not each.refining for each in tried)
    if renders_each > renders_left if guess.sound else pilots_left < 1:
        return step(*_closest(on, closest, off))
    if not guess.sound:
        far = known[guess.towards][1]
        return step("pilot", guess.quality, f"{_unit(on, far)} so far: a further step towards the target")
    quality = knob.fitted(guess.quality)
    if any(abs(quality - row[0]) <= (0 if knob.whole else TINY_STEP * row[0]) for row in known):
        return step(*_closest(on, closest, off, " and the knob has no value in between"))
    return step("refine", quality, f"{guess.how} says {quality:.4g}")


class _Guess:
    """Where the target lies by what was tried: by the law, or between two steps; or in which direction to go on."""

    def __init__(self, on: str, target: float, known: Sequence[tuple[float, float]], knob: Knob) -> None:
        self.unreachable, self.how, self.sound = "", "", False
        self.quality = math.nan
        self.towards = -1
        quality, figure = (np.array(column) for column in zip(*known, strict=True))
        rising = _rises(on, known)
        if rising is None:
            rising = on == TIME  # one step alone: more quality is more time and less noise until it shows otherwise
        self._by_law(on, target, quality, figure)
        if self.sound or self.unreachable:
            self._within_the_knob(on, knob, known)
            return
        below, above = figure < target, figure > target
        if np.any(below) and np.any(above):
            near = _bracket(quality, figure, target)
            self.quality, self.sound = _along(near, target), True
            self.how = f"a line between {near[0][0]:g} and {near[1][0]:g}"
            return
        self._go_on(on, target, known, knob, up=bool(np.all(below)) == rising)

    def _by_law(self, on: str, target: float, quality: Numbers, figure: Numbers) -> None:
        """Through three steps at least, none far off, and not beyond twice of what was tried."""
        if len(quality) < 3:
            return
        u, y = (1.0 / quality, figure**2) if on == NOISE else (quality, figure)
        wanted = target**2 if on == NOISE else target
        p, q = (float(value) for value in fit_two_terms(u, y))
        share = 0.5 if on == NOISE else 1.0
        if p <= 0.0 or share * np.max(np.abs(relative_residuals(np.array([p, q]), u, y))) > LAW_HOLDS[on]:
            return
        room = wanted - q
        if room <= 0.0:
            if on == NOISE and q > 1.05 * wanted and self._flattens(figure):
                self.unreachable = f"not reachable: its noise does not fall below {math.sqrt(q):.3g} %"
            elif on == TIME:
                self.unreachable = f"not reachable: {q:.3g} s of every render do not depend on the knob"
            return
        at = p / room if on == NOISE else room / p
        if quality[0] / 2.0 <= at <= 2.0 * quality[-1]:
            self.quality, self.sound, self.how = at, True, "the fitted law"

    @staticmethod
    def _flattens(figure: Numbers) -> bool:
        """Whether the last step bought clearly less than the square root would."""
        return bool(figure[-1] / figure[-2] > 0.8)

    def _within_the_knob(self, on: str, knob: Knob, known: Sequence[tuple[float, float]]) -> None:
        if self.sound and not knob.minimum * 0.99 <= self.quality <= knob.maximum * 1.01:
            self._at_the_end(on, knob.fitted(self.quality), known)

    def _go_on(self, on: str, target: float, known: Sequence[tuple[float, float]], knob: Knob, *, up: bool) -> None:
        self.towards = -1 if up else 0
        last, figure = known[self.towards]
        factor = STEP
        if len(known) > 1:
            ends = known[-2:] if up else known[:2]
            gain, stride = (abs(math.log(ends[1][each] / ends[0][each])) for each in (1, 0))
            # a small step may show nothing by chance; only a full one says that nothing more is to be had
            if gain < FLAT and stride > 0.9 * math.log(STEP) and abs(math.log(target / figure)) > 2.0 * gain:
                self.unreachable = f"not reachable: it flattens out at {_unit(on, figure)}"
                return
            slope = max(gain / stride, LEAST_SLOPE)
            factor = min(STEP, max(math.exp(1.2 * abs(math.log(target / figure)) / slope), 1.2))
        step = knob.fitted(last * factor if up else last / factor)
        if step == last:
            self._at_the_end(on, last, known)
            return
        self.quality = step

    def _at_the_end(self, on: str, end: float, known: Sequence[tuple[float, float]]) -> None:
        self.sound = False
        nearest = known[-1] if end >= known[-1][0] else known[0]
        self.unreachable = f"not reachable: the knob ends at {end:g}, with {_unit(on, nearest[1])} at {nearest[0]:g}"


def _rises(on: str, known: Sequence[tuple[float, float]]) -> bool | None:
    """Whether the figure rises with the knob; None when it does neither throughout, the usual scatter let be."""
    if len(known) < 2:
        return None
    rising = known[-1][1] > known[0][1]
    steps = [
        (b[1] / a[1]) if rising else (a[1] / b[1]) for a, b in combinations(known, 2) if b[0] >= APART * a[0]
    ]  # fmt: skip
    return rising if all(step > SCATTER[on] for step in steps) else None


def _bracket(quality: Numbers, figure: Numbers, target: float) -> tuple[tuple[float, float], tuple[float, float]]:
    """The two neighbours between which the target lies, the narrowest such pair."""
    for n in range(len(quality) - 1):
        if (figure[n] - target) * (figure[n + 1] - target) <= 0.0:
            return (float(quality[n]), float(figure[n])), (float(quality[n + 1]), float(figure[n + 1]))
    raise ValueError("the target lies between no two neighbours")


def _along(ends: tuple[tuple[float, float], tuple[float, float]], target: float) -> float:
    """Where a straight line in log–log has the target."""
    (x0, y0), (x1, y1) = ends
    share = math.log(target / y0) / math.log(y1 / y0)
    return float(x0 * (x1 / x0) ** share)


def _closest(on: str, closest: tuple[float, float], off: float, why: str = "") -> tuple[State, float, str]:
    return ("closest", closest[0], f"{_unit(on, closest[1])}, {_off(off)} the target{why}")


def _off(off: float) -> str:
    if abs(off) < 0.0005:
        return "exactly"
    return f"{100 * abs(off):.1f} % {'above' if off > 0 else 'below'}"


def _unit(on: str, figure: float) -> str:
    return f"{figure:.3g} % noise" if on == NOISE else f"{figure:.3g} s"


def _not_monotone(on: str, known: Sequence[tuple[float, float]]) -> str:
    told = ", ".join(f"{quality:g}: {_unit(on, figure)}" for quality, figure in known)
    return f"{'noise' if on == NOISE else 'time'} neither rises nor falls throughout with the knob ({told})"
