"""What a choice costs in production: frames × time per frame on so many machines, and the saving against the baseline.

Arithmetic, with its assumptions stated. A frame takes getting ready plus rendering; where an engine gets ready once a
shot, that part is paid once for each shot on each machine that renders it. Rendering grows with the number of pixels,
getting ready does not. A machine renders one frame at a time and no frame is split.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from matchedpair.errors import InputError
from matchedpair.measures.figure import Interval

PER_FRAME, PER_SHOT = "frame", "shot"
SMALLEST_SAVING = 0.05


@dataclass(frozen=True)
class Assumptions:
    """What production is assumed to be.

    Parameters
    ----------
    frames, shots, machines : int
        Frames of all shots together.
    hours_a_day : float
        In which the machines render: a night.
    cost_per_machine_hour : float
        In whatever currency.
    ready_per : str
        ``frame`` or ``shot``.
    pixels : float
        Pixels of a final frame over those of the render that was timed.
    """

    frames: int
    machines: int = 1
    hours_a_day: float = 12.0
    cost_per_machine_hour: float = 0.0
    ready_per: str = PER_FRAME
    shots: int = 1
    pixels: float = 1.0

    def __post_init__(self) -> None:
        if self.frames < 1 or self.machines < 1 or self.shots < 1:
            raise InputError("frames, shots and machines must be at least 1")
        if self.shots > self.frames:
            raise InputError(f"{self.shots} shots cannot share {self.frames} frames; a shot has at least one")
        if not 0.0 < self.hours_a_day <= 24.0:
            raise InputError(f"hours a day must be above 0 and at most 24, got {self.hours_a_day:g}")
        if not self.cost_per_machine_hour >= 0.0 or not math.isfinite(self.cost_per_machine_hour):
            raise InputError("the cost of a machine-hour must not be below 0")
        if self.ready_per not in (PER_FRAME, PER_SHOT):
            raise InputError(f"getting ready is paid per {PER_FRAME} or per {PER_SHOT}, got {self.ready_per!r}")
        if not self.pixels > 0.0 or not math.isfinite(self.pixels):
            raise InputError("the size of a final frame must be above 0")


@dataclass(frozen=True)
class FrameTime:
    """Seconds of one frame as timed; `interval` is of rendering and getting ready together."""

    rendering: float
    ready: float
    interval: Interval | None

    def __post_init__(self) -> None:
        if self.rendering <= 0.0 or self.ready < 0.0:
            raise InputError("a frame's times must be above 0")


@dataclass(frozen=True)
class Forecast:
    """What it takes.

    Parameters
    ----------
    frame_seconds : float
        Of a final frame, with its share of getting ready.
    machine_hours : float
    hours : float
        Until the last machine is done.
    nights : int
        Of `hours_a_day` each, begun ones counted whole.
    cost : float
    interval : (float, float) or None
        Of the machine-hours.
    """

    frame_seconds: float
    machine_hours: float
    hours: float
    nights: int
    cost: float
    interval: Interval | None


@dataclass(frozen=True)
class Saving:
    """Against the baseline: `share` of the machine-hours saved (below 0 it takes more), hours and cost."""

    share: float
    interval: Interval | None
    machine_hours: float
    cost: float
    tie: bool


def forecast(time: FrameTime, assumed: Assumptions) -> Forecast:
    """Hours, nights and cost of all frames."""
    rendering = time.rendering * assumed.pixels
    shots_a_machine = min(assumed.shots, math.ceil(assumed.frames / assumed.machines))
    each = math.ceil(assumed.frames / assumed.machines)
    busy = min(assumed.machines, assumed.frames)
    if assumed.ready_per == PER_FRAME:
        whole = assumed.frames * (rendering + time.ready)
        longest = each * (rendering + time.ready)
    else:
        # frames of a shot are spread over all machines, so that each of them gets ready for it
        starts = min(assumed.shots * busy, assumed.frames)
        whole = assumed.frames * rendering + starts * time.ready
        longest = each * rendering + shots_a_machine * time.ready
    hours = longest / 3600.0
    machine_hours = whole / 3600.0
    spread = _relative(time)
    interval = None if spread is None else (machine_hours * spread[0], machine_hours * spread[1])
    nights = math.ceil(hours / assumed.hours_a_day - 1e-9)
    return Forecast(
        whole / assumed.frames, machine_hours, hours, nights, machine_hours * assumed.cost_per_machine_hour, interval
    )


def saving(baseline: Forecast, choice: Forecast, assumed: Assumptions) -> Saving:
    """What the choice saves: 1 − choice/baseline of the machine-hours, with an interval from both sides' spread."""
    ratio = choice.machine_hours / baseline.machine_hours
    interval = None
    if baseline.interval is not None and choice.interval is not None:
        reach = math.hypot(*(math.log(side[1] / side[0]) / 2.0 for side in (baseline.interval, choice.interval)))
        interval = (1.0 - ratio * math.exp(reach), 1.0 - ratio * math.exp(-reach))
    hours = baseline.machine_hours - choice.machine_hours
    share = 1.0 - ratio
    tie = interval is None or interval[0] <= 0.0 <= interval[1] or abs(share) < SMALLEST_SAVING
    return Saving(share, interval, hours, hours * assumed.cost_per_machine_hour, tie)


def _relative(time: FrameTime) -> Interval | None:
    if time.interval is None or time.interval[0] <= 0.0:
        return None
    whole = time.rendering + time.ready
    return time.interval[0] / whole, time.interval[1] / whole
