"""The list of renders that a study will make."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

CONTROL, TRIAL = "control", "trial"
SIDES = (CONTROL, TRIAL)
FIRST_SEED = 1


@dataclass(frozen=True)
class PlannedRun:
    """One render to come: whose side, which seed, and whether it is a warm-up that is never counted."""

    side: str
    seed: int
    warm_up: bool


def on_off_plan(repeats: int = 2, sides: Sequence[str] = SIDES) -> list[PlannedRun]:
    """One warm-up, then the seeds in turn with the sides interleaved, their order turned round at each seed.

    Control, trial, trial, control: a steady drift of the machine so falls on both sides alike, where control always
    first would favour it. The warm-up takes compiling and cold caches upon itself; it has a seed of its own.

    Raises
    ------
    ValueError
        With fewer than two repeats: without twins the noise is unknown.
    """
    if repeats < 2:
        raise ValueError(f"a side needs at least two seeds to know its noise, got {repeats}")
    rows = [PlannedRun(sides[0], FIRST_SEED - 1, True)]
    for turn in range(repeats):
        order = sides if turn % 2 == 0 else sides[::-1]
        rows += [PlannedRun(side, FIRST_SEED + turn, False) for side in order]
    return rows
