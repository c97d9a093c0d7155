"""What every measure gives back: a value that says how it was got and how sure it is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, stdev

from scipy.special import stdtrit

from matchedpair.errors import RefusedError

Interval = tuple[float, float]
UNRANKED_METHODS = ("single",)  # one picture gives no more than a guess
MEDIAN_ERROR = 1.2533  # of a median of several over that of a mean


@dataclass(frozen=True)
class Figure:
    """One figure of a run.

    Parameters
    ----------
    value : float
    unit : str
        ``"%"``, ``"s"``, ``"×"`` …
    interval : (float, float) or None
        95 % interval; None says that it has none.
    method : str
        How it was got: ``twin``, ``reference``, ``single``, ``wall`` or ``cpu``.
    version : int
        Version of the method; figures of different versions are not mixed.
    """

    value: float
    unit: str
    interval: Interval | None
    method: str
    version: int

    @property
    def ends(self) -> Interval:
        """The interval, or the value twice where there is none."""
        return self.interval or (self.value, self.value)

    def half_width(self, without: float) -> float:
        """Of its interval; where it has none, this share of the value."""
        if self.interval is None:
            return without * abs(self.value)
        return (self.interval[1] - self.interval[0]) / 2


@dataclass(frozen=True)
class PlaceSpread:
    """How a ratio varies over the places of a picture.

    Parameters
    ----------
    noisier, cleaner : float
        Shares of the picture, at least, in which the trial shows more or less by over 5 %, 0 to 1; what chance alone
        could have made look so is in neither.
    tenth, ninetieth : float
        Percentiles of the ratios over the picture, with the scatter of their readings taken out.
    places, quiet : int
        How many places count, and how many do not since neither side shows anything there.
    """

    noisier: float
    cleaner: float
    tenth: float
    ninetieth: float
    places: int
    quiet: int


@dataclass(frozen=True)
class Ratio:
    """A trial's figure over the control's, with its 95 % interval; `tie` when no difference can be told.

    `note` says what a reader must know of how it was got, such as that several machines took part; `spread` how it
    varies over the picture, where it was got place by place.
    """

    value: float
    interval: Interval | None
    method: str
    version: int
    tie: bool
    note: str = ""
    spread: PlaceSpread | None = None

    @property
    def ends(self) -> Interval:
        """The interval, or the value twice where there is none."""
        return self.interval or (self.value, self.value)

    @property
    def reach(self) -> float:
        """Half-width of the interval of its logarithm; infinite where that has no end."""
        low, high = self.ends
        return math.log(high / low) / 2 if 0 < low <= high < math.inf else math.inf

    @property
    def reach_of_chance(self) -> float:
        """How far the nearer end lies from the value, in logarithms: the farther one may hold a second reading, as of
        noise without rare bright paths.
        """
        return min(self._reaches)

    @property
    def second_reading(self) -> Interval:
        """How far below and above the value a second reading lies, in logarithms; no number of seeds brings it nearer.

        Both are infinite where the interval has no end.
        """
        below, above = self._reaches
        near = self.reach_of_chance
        return (math.inf, math.inf) if math.isinf(near) else (below - near, above - near)

    @property
    def _reaches(self) -> Interval:
        low, high = self.ends
        if not 0 < low <= self.value <= high:
            return math.inf, math.inf
        return math.log(self.value / low), math.log(high / self.value)


def mean_figure(values: Sequence[float], unit: str, method: str, version: int) -> Figure:
    """The mean of one figure over the seeds, with the interval that their scatter gives; none for one seed."""
    if len(values) < 2:
        return Figure(values[0], unit, None, method, version)
    value = fmean(values)
    half = float(stdtrit(len(values) - 1, 0.975)) * stdev(values) / math.sqrt(len(values))
    return Figure(value, unit, (value - half, value + half), method, version)


def over(first: Figure, second: Figure, least: float = 0.0) -> Ratio:
    """One figure above 0 over another, each got by itself; a tie where its interval holds 1, or it is less than `least`
    off.
    """
    value = first.value / second.value
    half = math.hypot(*(_log_half(each) for each in (first, second)))
    interval = (value * math.exp(-half), value * math.exp(half))
    tie = interval[0] <= 1.0 <= interval[1] or abs(value - 1.0) < least
    return Ratio(value, interval, first.method, first.version, tie)


def _log_half(figure: Figure) -> float:
    low, high = figure.ends
    return max(math.log(figure.value / low), math.log(high / figure.value)) if low > 0.0 else math.inf


def must_compare(measure: str, control: Figure, trial: Figure) -> None:
    """Raise `RefusedError` when two figures cannot be compared."""
    alone = [side for side, figure in (("control", control), ("trial", trial)) if figure.method in UNRANKED_METHODS]
    if len(alone) == 1:
        raise RefusedError(measure, f"the {alone[0]} has one seed alone, which gives only a guess: add a second")
    if control.method != trial.method:
        reason = f"the control's was got by {control.method}, the trial's by {trial.method}; measure both the same way"
        raise RefusedError(measure, reason)
    if control.version != trial.version:
        reason = f"methods of different versions ({control.version} and {trial.version}); measure the older one again"
        raise RefusedError(measure, reason)


def three(value: float) -> str:
    """Three significant digits, without an exponent."""
    if value == 0:
        return "0"
    text = f"{value:#.3g}"
    return (f"{float(text):.0f}" if "e" in text else text).rstrip(".")
