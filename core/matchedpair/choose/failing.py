"""Where a choice fails: the scenes and zones in which it loses against the baseline or shifts the look."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.measures.figure import Interval, Ratio

SHIFT_STOPS = 0.02
SHIFT_COLOUR = 1.0
SLOWER, NOISIER, BRIGHTER, DARKER, COLOUR = "slower", "noisier", "brighter", "darker", "colour"


@dataclass(frozen=True)
class Held:
    """The choice against the baseline at one place (a scene and view) and zone; None where nothing is known."""

    place: str
    zone: str
    pair: int
    time: Ratio | None
    noise: Ratio | None
    stops: float | None
    stops_interval: Interval | None
    colour: float | None


@dataclass(frozen=True)
class Failure:
    """One way in which the choice loses at a place; `amount` is a ratio, stops, or ΔE00."""

    place: str
    zone: str
    pair: int
    how: str
    amount: float
    words: str


def failures(held: Sequence[Held]) -> list[Failure]:
    """All losses that are more than chance, the worst kind of each place first: noise, then look, then time.

    A shift of brightness counts from 0.02 stops on where its interval leaves 0 out, one of colour from a ΔE00 of 1 on.
    """
    found = []
    for row in held:
        if row.noise is not None and not row.noise.tie and row.noise.value > 1.0:
            found.append(_failure(row, NOISIER, row.noise.value, f"{row.noise.value:.3g} × the noise"))
        if row.stops is not None and abs(row.stops) >= SHIFT_STOPS and _apart(row.stops_interval):
            how = BRIGHTER if row.stops > 0 else DARKER
            found.append(_failure(row, how, row.stops, f"{abs(row.stops):.3f} stops {how}"))
        if row.colour is not None and row.colour >= SHIFT_COLOUR:
            found.append(_failure(row, COLOUR, row.colour, f"the colour is off by {row.colour:.2f} ΔE00"))
        if row.time is not None and not row.time.tie and row.time.value > 1.0:
            found.append(_failure(row, SLOWER, row.time.value, f"{row.time.value:.3g} × the time"))
    return found


def _apart(interval: Interval | None) -> bool:
    return interval is None or interval[0] > 0.0 or interval[1] < 0.0


def _failure(row: Held, how: str, amount: float, words: str) -> Failure:
    return Failure(row.place, row.zone, row.pair, how, amount, words)
