"""Where a choice fails: the scenes, zones and parts of a picture in which it shifts the look, breaks a limit that the
whole picture keeps, or loses to its control in what the use does not limit.

More noise than the control has is no failure where the use says how much noise there may be: that is what was traded.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from matchedpair.measures.figure import Figure, Interval, Ratio
from matchedpair.measures.zones import WHOLE

PART = 2.0  # times the largest shift of the whole and its zones, from which a part of the picture tells more
BRIGHTER, DARKER, COLOUR, OVER, NOISIER, SLOWER = "brighter", "darker", "colour", "noise", "noisier", "slower"
LOOKS = (BRIGHTER, DARKER, COLOUR)
CONTROL, REFERENCE = "control", "reference"
Box = tuple[int, int, int, int]


@dataclass(frozen=True)
class Held:
    """The choice at one place (a scene and view) and in one zone, against its control; None where nothing is known.

    Parameters
    ----------
    frame : int or None
        Of a sequence, whose frames are told together.
    against : str
        What its brightness and colour are compared with: the ``reference`` where there is one, else the ``control``.
    percent : Figure or None
        The choice's own noise.
    box : (int, int, int, int) or None
        Of a part of the picture that is no zone, in pixels: its brightness alone is known, and is beyond chance.
    seen : float
        How much of its shift counts, since it is small; 1 for what is no small part.
    """

    place: str
    zone: str
    pair: int
    time: Ratio | None = None
    noise: Ratio | None = None
    stops: float | None = None
    stops_interval: Interval | None = None
    colour: float | None = None
    frame: int | None = None
    against: str = CONTROL
    percent: Figure | None = None
    box: Box | None = None
    seen: float = 1.0


@dataclass(frozen=True)
class Failure:
    """One way in which the choice fails at a place.

    Parameters
    ----------
    how : str
        What is off; ``noisier`` and ``slower`` against the control, where nothing is limited.
    amount : float
        A ratio, stops, ΔE00, or percent of noise.
    bound : float
        From where on it counts, in the same unit.
    against : str
        What a look was compared with.
    frames, of_frames : int
        In how many of a sequence's frames, of which `pair` is the worst; 0 where there is none.
    """

    place: str
    zone: str
    pair: int
    how: str
    amount: float
    bound: float
    frames: int = 0
    of_frames: int = 0
    box: Box | None = None
    against: str = CONTROL

    @property
    def beyond(self) -> float:
        """How many times it is what would count."""
        return abs(self.amount) / max(self.bound, 1e-9)


def failures(held: Sequence[Held], limits: Mapping[str, float]) -> list[Failure]:
    """All of them that are more than chance: looks first, then broken limits, then noise and time; the worst first.

    Parameters
    ----------
    limits : mapping
        By the names of `matchedpair.choose.uses.LIMITS`; a shift of brightness or colour that has none is not told.
    """
    found: dict[tuple[str, str, str], list[Failure]] = defaultdict(list)
    frames: dict[str, set[int]] = defaultdict(set)
    largest: dict[tuple[str, int | None], float] = defaultdict(float)
    for row in held:
        if row.frame is not None:
            frames[row.place].add(row.frame)
        if row.box is None and row.stops is not None and _apart(row.stops_interval):
            at = row.place, row.frame
            largest[at] = max(largest[at], abs(row.stops))
    for row in held:
        if row.box is not None and row.seen * abs(row.stops or 0.0) < PART * largest[row.place, row.frame]:
            continue
        for failure in _of_row(row, limits):
            found[failure.place, failure.zone, failure.how].append(failure)
    told = []
    for (place, _, _), rows in found.items():
        worst = max(rows, key=lambda row: row.beyond)
        count = len(frames[place])
        told.append(replace(worst, frames=len(rows), of_frames=count) if count else worst)
    ranks = (*LOOKS, OVER, NOISIER, SLOWER)
    return sorted(told, key=lambda row: (0 if row.how in LOOKS else ranks.index(row.how), -row.beyond))


def _of_row(row: Held, limits: Mapping[str, float]) -> list[Failure]:
    found = []

    def add(how: str, amount: float, bound: float) -> None:
        found.append(Failure(row.place, row.zone, row.pair, how, amount, bound, box=row.box, against=row.against))

    stops, colour = limits.get("stops", math.inf), limits.get("colour", math.inf)
    if row.stops is not None and row.seen * abs(row.stops) >= stops and _apart(row.stops_interval):
        add(BRIGHTER if row.stops > 0 else DARKER, row.stops, stops)
    if row.colour is not None and row.colour >= colour:
        add(COLOUR, row.colour, colour)
    if "noise" in limits or "zone_noise" in limits:
        bound = limits.get("zone_noise", limits.get("noise", 0.0))
        if row.zone != WHOLE and row.percent is not None and _above(row.percent, bound):
            add(OVER, row.percent.value, bound)
    elif row.noise is not None and not row.noise.tie and row.noise.value > 1.0:
        add(NOISIER, row.noise.value, 1.0)
    if "seconds" not in limits and row.time is not None and not row.time.tie and row.time.value > 1.0:
        add(SLOWER, row.time.value, 1.0)
    return found


def _above(figure: Figure, bound: float) -> bool:
    low = figure.interval[0] if figure.interval is not None else figure.value
    return bound > 0.0 and low > bound


def _apart(interval: Interval | None) -> bool:
    return interval is None or interval[0] > 0.0 or interval[1] < 0.0
