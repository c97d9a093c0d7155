"""What one option needs for another's noise, and what noise it has in another's time, from their curves.

The same noise takes t = t0_B + c_B·a_B / (noise_A² − b_B²). Below the trial's floor it is not reachable, and nothing is
told beyond twice the measured ladder.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from matchedpair.curves.curve import BEYOND, Curve, spread_of
from matchedpair.curves.two_terms import Numbers
from matchedpair.errors import RefusedError
from matchedpair.measures.cost import SMALLEST_THAT_MATTERS, RunTimes, time_basis
from matchedpair.measures.figure import Interval, Ratio, three


@dataclass(frozen=True)
class SameNoise:
    """A control at one value of its knob, and the trial with as much noise.

    Parameters
    ----------
    at_quality, trial_quality : float, float or None
        The control's knob, and the trial's that gives the same noise.
    speed_up : float or None
        Seconds of the control over seconds of the trial; above 1 the trial is faster. None when not reachable.
    reachable : bool or None
        None when it lies too far beyond the trial's ladder to be told.
    """

    at_quality: float
    noise_percent: float
    trial_quality: float | None
    trial_seconds: float | None
    speed_up: float | None
    interval: Interval | None
    reachable: bool | None
    note: str = ""

    @property
    def tie(self) -> bool:
        """Whether no difference in time can be told."""
        return self.speed_up is not None and is_tie(self.speed_up, self.interval)


@dataclass(frozen=True)
class SameTime:
    """A control at one value of its knob, and the trial in as much time; `ratio` is trial's noise over control's."""

    at_quality: float
    seconds: float
    trial_quality: float | None
    trial_noise_percent: float | None
    ratio: float | None
    interval: Interval | None
    note: str = ""

    @property
    def tie(self) -> bool:
        """Whether no difference in noise can be told."""
        return self.ratio is not None and is_tie(self.ratio, self.interval)


def same_noise(control: Curve, trial: Curve, at_quality: float) -> SameNoise:
    """How fast the trial reaches the noise that the control has at a value of its knob."""
    noise = control.noise_at(at_quality)
    room = noise**2 - trial.b**2
    needed = trial.a / room if room > 0.0 else math.inf
    if not trial.within_reach(needed):
        return _cannot(trial, noise, needed, at_quality)
    seconds = trial.seconds_at(needed)
    value = control.seconds_at(at_quality) / seconds
    logs = _drawn_speed_up(control, trial, at_quality)
    lost = float(np.mean(~np.isfinite(logs)))
    interval = spread_of(value, logs, min(control.freedom, trial.freedom))
    note = "close to the trial's floor: it may not be reachable" if lost > 0.025 else ""
    return SameNoise(at_quality, noise, needed, seconds, value, interval, True, note)


def same_time(control: Curve, trial: Curve, at_quality: float) -> SameTime:
    """How clean the trial is in the time that the control takes at a value of its knob."""
    seconds = control.seconds_at(at_quality)
    quality = (seconds - trial.t0) / trial.c
    if quality <= 0.0:
        note = f"getting ready alone takes the trial {trial.t0:.3g} s"
        return SameTime(at_quality, seconds, None, None, None, None, note)
    if not trial.within_reach(quality):
        note = f"it would need the quality knob at {three(quality)}, beyond {BEYOND:g} times the measured ladder"
        return SameTime(at_quality, seconds, quality, None, None, None, note)
    noise = trial.noise_at(quality)
    A, B = control.draws, trial.draws
    drawn = (A[:, 2] + A[:, 3] * at_quality - B[:, 2]) / B[:, 3]
    with np.errstate(invalid="ignore", divide="ignore"):
        logs = 0.5 * np.log((B[:, 0] / drawn + B[:, 1]) / (A[:, 0] / at_quality + A[:, 1]))
    ratio = noise / control.noise_at(at_quality)
    interval = spread_of(ratio, logs, min(control.freedom, trial.freedom))
    return SameTime(at_quality, seconds, quality, noise, ratio, interval)


def equal_time_of_one_each(noise_ratio: Ratio, control: RunTimes, trial: RunTimes) -> float:
    """Seconds that the trial takes for the control's noise, from one run each.

    t_eq = t0_B + (t_B − t0_B)·noise_B²/noise_A², only with t0 known.

    Raises
    ------
    RefusedError
        When the trial's engine does not tell getting ready apart.
    """
    basis = time_basis([control, trial])
    rendering = trial.render_seconds(basis)
    if rendering is None:
        raise RefusedError(
            "same_noise", "the trial's engine does not tell how long it got ready; render a ladder instead"
        )
    whole = trial.seconds(basis)
    return whole - rendering + rendering * noise_ratio.value**2


def is_tie(value: float, interval: Interval | None) -> bool:
    """A ratio under 5 % off 1, or with 1 inside its interval, or without an interval."""
    return interval is None or interval[0] <= 1.0 <= interval[1] or abs(value - 1.0) < SMALLEST_THAT_MATTERS


def _drawn_speed_up(control: Curve, trial: Curve, at_quality: float) -> Numbers:
    A, B = control.draws, trial.draws
    room = A[:, 0] / at_quality + A[:, 1] - B[:, 1]
    with np.errstate(invalid="ignore", divide="ignore"):
        needed = np.where(room > 0.0, B[:, 0] / room, np.inf)
        return np.asarray(np.log((A[:, 2] + A[:, 3] * at_quality) / (B[:, 2] + B[:, 3] * needed)))


def _cannot(trial: Curve, noise: float, needed: float, at_quality: float) -> SameNoise:
    if needed > trial.highest:
        floor = noise <= trial.b
        note = (
            f"not reachable: the trial's noise does not fall below {trial.b:.3g} %" if floor and trial.has_floor
            else f"beyond {BEYOND:g} times the trial's ladder; render more steps to tell"
        )  # fmt: skip
        reachable = False if floor and trial.has_floor else None
    else:
        reachable = None
        note = f"the trial is cleaner already at {BEYOND:g} times less than its lowest step; render lower steps to tell"
    return SameNoise(at_quality, noise, None if math.isinf(needed) else needed, None, None, None, reachable, note)
