"""What is known of an engine's times on a machine: how busy it keeps the processors when alone, and how its times
scatter. Learnt from the runs that are there, since no engine says.

*Usual share* is CPU/(wall × threads) of an engine that has the machine to itself. It is known once the highest quarter
of at least four runs lies within 5 %, at three quarters of the threads or more: an engine that works on a graphics
card, on another machine or in few threads for part of the time has no such share, and its CPU seconds say nothing of
how long it takes. *Scatter* is the spread of the logarithm of the times over repeats of one option.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, median

LEAST_RUNS = 4
CONSTANT = 0.05
LEAST_SHARE = 0.75
QUIET = 0.9  # of the usual share
LEAST_SCATTER = 0.003  # no clock and no machine is steadier
LEAST_FREEDOM, MOST_FREEDOM = 8, 40  # repeats beyond the first of each option, below which a scatter is not known


@dataclass(frozen=True)
class Habit:
    """An engine's habit on a machine.

    Parameters
    ----------
    usual_share : float or None
        CPU/(wall × threads) when alone; None where CPU seconds cannot stand for time.
    scatter : float or None
        Spread of the logarithm of its times; None before enough repeats are there.
    freedom : int
        From how many repeats beyond the first of each option the scatter is known.
    """

    usual_share: float | None = None
    scatter: float | None = None
    freedom: int = 0


UNKNOWN = Habit()


@dataclass(frozen=True)
class Account:
    """One run as a habit is learnt from: its option, wall seconds of rendering, and its share of the processors."""

    option: int
    seconds: float
    share: float | None


def learnt(accounts: Sequence[Account], *, on_processors: bool) -> Habit:
    """The habit that these runs of one engine on one machine show.

    Parameters
    ----------
    on_processors : bool
        Whether the engine computes on this machine's processors, as far as its definition says.
    """
    shares = sorted(account.share for account in accounts if account.share is not None)
    usual = _usual(shares) if on_processors else None
    groups: dict[int, list[float]] = {}
    for account in accounts:
        calm = usual is None or account.share is None or account.share >= QUIET * usual
        if calm and account.seconds > 0.0:
            groups.setdefault(account.option, []).append(math.log(account.seconds))
    squares, freedom = 0.0, 0
    for logs in groups.values():
        middle = fmean(logs)
        squares += sum((each - middle) ** 2 for each in logs)
        freedom += len(logs) - 1
    if freedom < LEAST_FREEDOM:
        return Habit(usual)
    return Habit(usual, max(math.sqrt(squares / freedom), LEAST_SCATTER), min(freedom, MOST_FREEDOM))


def _usual(shares: Sequence[float]) -> float | None:
    if len(shares) < LEAST_RUNS:
        return None
    highest = shares[-max(len(shares) // 4, 3) :]
    middle = median(highest)
    steady = highest[0] >= (1 - CONSTANT) * middle and highest[-1] <= (1 + CONSTANT) * middle
    return middle if steady and middle >= LEAST_SHARE else None
