"""Time of the trial over time of the control, from repeats, with an interval that two lucky repeats cannot make small.

Wall time is the time. Processor seconds stand in for it only where the machine was busy and the engine is known to
keep its processors evenly busy when alone (`habit`); they are divided by what it then keeps busy, so that they read as
seconds. The relative scatter of a render's time is taken as normal in its logarithm. Two or three repeats say little
about it, so the scatter learnt of the engine on that machine is weighed in, before it is known a wide one
(PRIOR_SCATTER, worth PRIOR_COUNT repeats), as a scaled inverse chi-squared prior (Gelman et al., Bayesian Data
Analysis, section 2.6); the interval is Student's.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, median

from scipy.special import stdtrit

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.figure import MEDIAN_ERROR, Ratio
from matchedpair.measures.habit import QUIET, UNKNOWN, Habit

VERSION = 2
PRIOR_SCATTER = 0.08  # eight repeats of one render on two shared cores: 0.09 in wall and in CPU seconds alike
PRIOR_COUNT = 4
SMALLEST_THAT_MATTERS = 0.05
# of the logarithm, between hours that lie apart: what else runs, how warm it is, what was installed meanwhile
HOURS_SCATTER = 0.25
APART_SECONDS = 6 * 3600.0
APART = "rendered hours or days apart"
NOT_LEARNT = "how its times scatter on this machine is not known yet"
WALL, CPU = "wall", "cpu"


@dataclass(frozen=True)
class RunTimes:
    """How long one run took.

    Parameters
    ----------
    wall_seconds : float
        Total, from start to exit.
    ready_seconds : float or None
        Of these, before the first light is computed; None when the engine does not say.
    cpu_seconds, cpu_ready_seconds : float or None
        Processor time, likewise; None when nobody counted it, as in a farm's log.
    threads : int
    machine : str
        Name of the machine; times of different machines are not compared.
    habit : Habit
        What is known of this engine's times on this machine.
    at : float or None
        When it ended, in seconds of any clock that all share; None where nobody knows.
    """

    wall_seconds: float
    ready_seconds: float | None
    cpu_seconds: float | None
    cpu_ready_seconds: float | None
    threads: int
    machine: str
    habit: Habit = UNKNOWN
    at: float | None = None

    def __post_init__(self) -> None:
        if self.wall_seconds <= 0.0 or (self.cpu_seconds is not None and self.cpu_seconds < 0.0) or self.threads < 1:
            raise InputError("times must be above 0 and threads at least 1")

    @property
    def share(self) -> float | None:
        """CPU seconds over wall seconds × threads; None without CPU seconds."""
        return None if self.cpu_seconds is None else self.cpu_seconds / (self.wall_seconds * self.threads)

    @property
    def quietness(self) -> float | None:
        """Its share over what the engine has when alone: near 1 when nothing else kept the machine busy.

        None where that is not known.
        """
        usual = self.habit.usual_share
        return None if self.share is None or usual is None else self.share / usual

    @property
    def quiet(self) -> bool | None:
        """Whether the wall time can be believed; None where nothing tells."""
        return None if self.quietness is None else self.quietness >= QUIET

    def seconds(self, basis: str) -> float:
        """Seconds in all by ``wall``, or by ``cpu`` divided by what the engine keeps busy when alone."""
        if basis == WALL or self.cpu_seconds is None:
            return self.wall_seconds
        return self.cpu_seconds / self._busy

    def own_ready_seconds(self, basis: str) -> float | None:
        """Seconds of getting ready likewise; None when it is not told apart."""
        if basis == WALL or self.cpu_seconds is None:
            return self.ready_seconds
        return None if self.cpu_ready_seconds is None else self.cpu_ready_seconds / self._busy

    def render_seconds(self, basis: str) -> float | None:
        """Seconds of rendering alone by ``wall`` or ``cpu``; None when getting ready is not told apart."""
        ready = self.own_ready_seconds(basis)
        return None if ready is None else max(self.seconds(basis) - ready, 0.0)

    @property
    def _busy(self) -> float:
        return (self.habit.usual_share or 1.0) * self.threads


def time_basis(runs: Sequence[RunTimes]) -> str:
    """``cpu`` when a run was on a busy machine and processor seconds can stand for the time of all, else ``wall``."""
    if any(run.quiet is False for run in runs) and all(run.quiet is not None for run in runs):
        return CPU
    return WALL


def time_ratio(control: Sequence[RunTimes], trial: Sequence[RunTimes]) -> Ratio:
    """Rendering time of the trial over that of the control: median over median. Below 1 the trial is faster.

    Getting ready is left out when every run tells it apart; else total times are compared. The method is ``wall``,
    or ``cpu`` when a machine was busy. A change under 5 % or inside the interval is a tie. The interval is wide where
    one side was rendered hours before the other.

    Times of different machines are never compared: where several machines rendered both sides, the ratio is got on each
    by itself, and their geometric mean, weighted by runs, is given with a note; runs without a partner on their machine
    are left out, and so are machines that were busy where others were not.

    Raises
    ------
    RefusedError
        When a side has no run, or no machine rendered both sides.
    """
    if not control or not trial:
        raise RefusedError("time_ratio", "a side has no finished run")
    machines = sorted({run.machine for run in [*control, *trial]})
    shared = sorted({run.machine for run in control} & {run.machine for run in trial})
    if not shared:
        raise RefusedError("time_ratio", f"times of different machines are not compared ({', '.join(machines)})")
    if len(machines) > 1:
        return _over_machines(control, trial, shared)
    runs = [*control, *trial]
    basis = time_basis(runs)
    times = [run.render_seconds(basis) for run in runs]
    if any(seconds is None or seconds <= 0.0 for seconds in times):
        times = [run.seconds(basis) for run in runs]
    seconds = [float(value) for value in times if value is not None and value > 0.0]
    if len(seconds) < len(runs):
        raise RefusedError("time_ratio", "a run has no time")
    first, second = seconds[: len(control)], seconds[len(control) :]
    value = median(second) / median(first)
    interval = ratio_interval(value, first, second, widest([run.habit for run in runs]))
    note = "" if all(run.habit.scatter is not None for run in runs) else NOT_LEARNT
    if _hours_apart(control, trial):
        interval, note = _widened(value, interval), APART
    return Ratio(value, interval, basis, VERSION, _is_tie(value, interval), note)


def _widened(value: float, interval: tuple[float, float]) -> tuple[float, float]:
    """With the scatter between hours that lie apart."""
    reach = math.hypot(math.log(interval[1] / value), 1.96 * HOURS_SCATTER)
    return value * math.exp(-reach), value * math.exp(reach)


def _hours_apart(control: Sequence[RunTimes], trial: Sequence[RunTimes]) -> bool:
    """Whether all of one side was rendered hours before any of the other."""
    first, second = ([run.at for run in side if run.at is not None] for side in (control, trial))
    if not first or not second or len(first) + len(second) < len(control) + len(trial):
        return False
    return max(min(second) - max(first), min(first) - max(second)) > APART_SECONDS


def _over_machines(control: Sequence[RunTimes], trial: Sequence[RunTimes], machines: Sequence[str]) -> Ratio:
    """The ratio on each machine, then their weighted geometric mean; the interval from their variances."""
    sides_of = {
        machine: [[run for run in side if run.machine == machine] for side in (control, trial)] for machine in machines
    }
    own = {machine: time_ratio(*sides) for machine, sides in sides_of.items()}
    bases = {ratio.method for ratio in own.values()}
    basis = WALL if WALL in bases else CPU
    mean = variance = weights = 0.0
    taken = [machine for machine in machines if own[machine].method == basis]
    for machine in taken:
        weight = 1.0 / (1.0 / len(sides_of[machine][0]) + 1.0 / len(sides_of[machine][1]))
        mean += weight * math.log(own[machine].value)
        variance += (weight * own[machine].reach) ** 2
        weights += weight
    value, reach = math.exp(mean / weights), math.sqrt(variance) / weights
    interval = (value * math.exp(-reach), value * math.exp(reach))
    note = f"each of {len(taken)} machines compared with itself" if len(taken) > 1 else f"on {taken[0]} alone"
    return Ratio(value, interval, basis, VERSION, _is_tie(value, interval), note)


def _is_tie(value: float, interval: tuple[float, float]) -> bool:
    return interval[0] <= 1.0 <= interval[1] or abs(value - 1.0) < SMALLEST_THAT_MATTERS


def widest(habits: Sequence[Habit]) -> Habit:
    """The habit that scatters most; the unknown one where any is not known."""
    if not habits or any(habit.scatter is None for habit in habits):
        return UNKNOWN
    return max(habits, key=lambda habit: habit.scatter or 0.0)


def times_interval(
    seconds: Sequence[float], runs: Sequence[RunTimes], beside: Sequence[RunTimes] = ()
) -> tuple[float, float]:
    """95 % interval of the median of `seconds`, taken from these runs, by how their engines' times scatter; wide where
    they were rendered hours apart from those `beside` which they are read.
    """
    low, high = median_interval(seconds, widest([run.habit for run in runs]))
    return _widened(median(seconds), (low, high)) if _hours_apart(beside, runs) else (low, high)


def median_interval(seconds: Sequence[float], habit: Habit = UNKNOWN) -> tuple[float, float]:
    """95 % interval of the median of one option's times, with the learnt or the prior scatter weighed in."""
    value = median(seconds)
    reach = _reach([seconds], habit)
    return value * math.exp(-reach), value * math.exp(reach)


def ratio_interval(
    value: float, control: Sequence[float], trial: Sequence[float], habit: Habit = UNKNOWN
) -> tuple[float, float]:
    """95 % interval of a ratio of medians, from the scatter of the logarithms and the learnt or the prior scatter."""
    reach = _reach([control, trial], habit)
    return value * math.exp(-reach), value * math.exp(reach)


def _reach(sides: Sequence[Sequence[float]], habit: Habit) -> float:
    """Half-width of the logarithm of a median, or of a ratio of two."""
    count, prior = (PRIOR_COUNT, PRIOR_SCATTER) if habit.scatter is None else (habit.freedom, habit.scatter)
    squares, freedom, error = count * prior**2, count, 0.0
    for side in sides:
        logs = [math.log(seconds) for seconds in side]
        mean = fmean(logs)
        squares += sum((each - mean) ** 2 for each in logs)
        freedom += len(logs) - 1
        error += (MEDIAN_ERROR**2 if len(logs) > 2 else 1.0) / len(logs)
    return float(stdtrit(freedom, 0.975)) * math.sqrt(squares / freedom * error)
