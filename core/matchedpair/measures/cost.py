"""Time of the trial over time of the control, from repeats, with an interval that two lucky repeats cannot make small.

The relative scatter of a render's time is taken as normal in its logarithm. Two or three repeats say little about it,
so what was measured on many repeats beforehand (PRIOR_SCATTER, worth PRIOR_COUNT repeats) is weighed in, as a scaled
inverse chi-squared prior (Gelman et al., Bayesian Data Analysis, section 2.6); the interval is Student's.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, median

from scipy.special import stdtrit

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.figure import Ratio

VERSION = 1
QUIET = 0.9
PRIOR_SCATTER = 0.08  # eight repeats of one render on two shared cores: 0.09 in wall and in CPU seconds alike
PRIOR_COUNT = 8
SMALLEST_THAT_MATTERS = 0.05


@dataclass(frozen=True)
class RunTimes:
    """How long one run took.

    Parameters
    ----------
    wall_seconds : float
        Total, from start to exit.
    ready_seconds : float or None
        Of these, before the first light is computed; None when the engine does not say.
    cpu_seconds, cpu_ready_seconds : float, float or None
        Processor time, likewise.
    threads : int
    machine : str
        Name of the machine; times of different machines are not compared.
    """

    wall_seconds: float
    ready_seconds: float | None
    cpu_seconds: float
    cpu_ready_seconds: float | None
    threads: int
    machine: str

    def __post_init__(self) -> None:
        if self.wall_seconds <= 0.0 or self.cpu_seconds < 0.0 or self.threads < 1:
            raise InputError("times must be above 0 and threads at least 1")

    @property
    def quietness(self) -> float:
        """CPU seconds over wall seconds × threads: near 1 when nothing else kept the machine busy."""
        return self.cpu_seconds / (self.wall_seconds * self.threads)

    @property
    def quiet(self) -> bool:
        """Whether the wall time can be believed."""
        return self.quietness >= QUIET

    def render_seconds(self, basis: str) -> float | None:
        """Seconds of rendering alone by ``wall`` or ``cpu``; None when getting ready is not told apart."""
        total, ready = (
            (self.wall_seconds, self.ready_seconds) if basis == "wall" else (self.cpu_seconds, self.cpu_ready_seconds)
        )
        return None if ready is None else max(total - ready, 0.0)


def time_basis(runs: Sequence[RunTimes]) -> str:
    """``wall`` when every run was quiet, else ``cpu``."""
    return "wall" if all(run.quiet for run in runs) else "cpu"


def time_ratio(control: Sequence[RunTimes], trial: Sequence[RunTimes]) -> Ratio:
    """Rendering time of the trial over that of the control: median over median. Below 1 the trial is faster.

    Getting ready is left out when every run tells it apart; else total times are compared. The method is ``wall``,
    or ``cpu`` when a machine was busy. A change under 5 % or inside the interval is a tie.

    Times of different machines are never compared: where several machines rendered both sides, the ratio is got on each
    by itself, and their geometric mean, weighted by runs, is given with a note; runs without a partner on their machine
    are left out.

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
        times = [run.wall_seconds if basis == "wall" else run.cpu_seconds for run in runs]
    seconds = [float(value) for value in times if value is not None and value > 0.0]
    if len(seconds) < len(runs):
        raise RefusedError("time_ratio", "a run has no time")
    first, second = seconds[: len(control)], seconds[len(control) :]
    value = median(second) / median(first)
    interval = ratio_interval(value, first, second)
    return Ratio(value, interval, basis, VERSION, _is_tie(value, interval))


def _over_machines(control: Sequence[RunTimes], trial: Sequence[RunTimes], machines: Sequence[str]) -> Ratio:
    """The ratio on each machine, then their weighted geometric mean; the interval from their variances."""
    mean = variance = weights = 0.0
    basis = time_basis([run for run in [*control, *trial] if run.machine in machines])
    for machine in machines:
        sides = [[run for run in side if run.machine == machine] for side in (control, trial)]
        own = time_ratio(*sides)
        low, high = own.interval or (own.value, own.value)
        weight = 1.0 / (1.0 / len(sides[0]) + 1.0 / len(sides[1]))
        mean += weight * math.log(own.value)
        variance += (weight * math.log(high / low) / 2) ** 2
        weights += weight
    value, reach = math.exp(mean / weights), math.sqrt(variance) / weights
    interval = (value * math.exp(-reach), value * math.exp(reach))
    note = f"each of {len(machines)} machines compared with itself" if len(machines) > 1 else f"on {machines[0]} alone"
    return Ratio(value, interval, basis, VERSION, _is_tie(value, interval), note)


def _is_tie(value: float, interval: tuple[float, float]) -> bool:
    return interval[0] <= 1.0 <= interval[1] or abs(value - 1.0) < SMALLEST_THAT_MATTERS


def median_interval(seconds: Sequence[float]) -> tuple[float, float]:
    """95 % interval of the median of one option's times, with the prior scatter weighed in."""
    logs = [math.log(each) for each in seconds]
    mean = fmean(logs)
    freedom = PRIOR_COUNT + len(logs) - 1
    scatter = math.sqrt((PRIOR_COUNT * PRIOR_SCATTER**2 + sum((each - mean) ** 2 for each in logs)) / freedom)
    reach = float(stdtrit(freedom, 0.975)) * scatter / math.sqrt(len(logs))
    value = median(seconds)
    return value * math.exp(-reach), value * math.exp(reach)


def ratio_interval(
    value: float, control: Sequence[float], trial: Sequence[float], prior_scatter: float = PRIOR_SCATTER
) -> tuple[float, float]:
    """95 % interval of a ratio of times, from the scatter of the logarithms and the prior scatter."""
    residuals: list[float] = []
    for side in (control, trial):
        logs = [math.log(seconds) for seconds in side]
        mean = fmean(logs)
        residuals += [each - mean for each in logs]
    freedom = PRIOR_COUNT + len(residuals) - 2
    scatter = math.sqrt((PRIOR_COUNT * prior_scatter**2 + sum(r * r for r in residuals)) / freedom)
    reach = float(stdtrit(freedom, 0.975)) * scatter * math.sqrt(1 / len(control) + 1 / len(trial))
    return value * math.exp(-reach), value * math.exp(reach)
