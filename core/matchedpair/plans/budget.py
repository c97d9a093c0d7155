"""Trims a plan to a budget by stated rules, and says of each option left out which rule left it out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

RULES = (
    "Controls are never left out.",
    "First the seeds beyond two go.",
    "Then options that change the most things at once, the costliest first.",
    "Then levels that lie closest to a neighbour; the lowest and the highest stay.",
    "Last whatever costs the most.",
)
INTERACTION, CLOSE, COSTLY = "changes several things at once", "lies close to its neighbours", "costs the most"


@dataclass(frozen=True)
class BudgetRow:
    """An option as the budget sees it.

    Parameters
    ----------
    control : bool
    changes : int
        How many factors are not at the baseline.
    seconds : float or None
        Of one render; None when nothing is known of it, which counts as the mean of the others.
    position : float or None
        Where it lies along its factor (the logarithm of a positive number); None where levels have no order.
    factor : int
        Which factor it varies, when it varies one.
    """

    control: bool
    changes: int
    seconds: float | None
    position: float | None = None
    factor: int = 0


@dataclass(frozen=True)
class Trimmed:
    """The repeats that remain, and by number of the option why it was left out."""

    repeats: int
    left_out: dict[int, str]
    fits: bool


def trim(
    rows: Sequence[BudgetRow], repeats: int, *, most_renders: int | None = None, most_seconds: float | None = None
) -> Trimmed:
    """Leave out as little as brings the plan under both limits, by `RULES` in their order.

    Returns
    -------
    Trimmed
        `fits` is False when even the controls and one trial are too much; then that much remains.
    """
    left_out: dict[int, str] = {}
    known = [row.seconds for row in rows if row.seconds is not None]
    usual = sum(known) / len(known) if known else 0.0

    def within(times: int) -> bool:
        kept = [row for number, row in enumerate(rows) if number not in left_out]
        seconds = sum(usual if row.seconds is None else row.seconds for row in kept) * times
        return (most_renders is None or len(kept) * times <= most_renders) and (
            most_seconds is None or seconds <= most_seconds
        )

    while repeats > 2 and not within(repeats):
        repeats -= 1
    while not within(repeats):
        kept = {number: row for number, row in enumerate(rows) if number not in left_out and not row.control}
        if len(kept) <= 1:
            return Trimmed(repeats, left_out, fits=False)
        number, why = _least_wanted(kept, usual)
        left_out[number] = why
    return Trimmed(repeats, left_out, fits=True)


def position_of(value: object) -> float | None:
    """Where a level lies along its factor, for `BudgetRow`."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return None
    return math.log(value) if value > 0 else -math.inf if value == 0 else None


def _least_wanted(kept: dict[int, BudgetRow], usual: float) -> tuple[int, str]:
    def cost(number: int) -> float:
        seconds = kept[number].seconds
        return usual if seconds is None else seconds

    most = max(row.changes for row in kept.values())
    if most > 1:
        return max((n for n, row in kept.items() if row.changes == most), key=lambda n: (cost(n), n)), INTERACTION
    inner = _inner(kept)
    if inner:
        return min(inner, key=lambda n: (inner[n], n)), CLOSE
    return max(kept, key=lambda n: (cost(n), n)), COSTLY


def _inner(kept: dict[int, BudgetRow]) -> dict[int, float]:
    """Levels between two others of their factor, with the gap that their leaving would leave."""
    gaps: dict[int, float] = {}
    for factor in {row.factor for row in kept.values()}:
        along = sorted(
            (row.position, n) for n, row in kept.items() if row.factor == factor and row.position is not None
        )
        for (before, _), (_, number), (after, _) in zip(along, along[1:], along[2:], strict=False):
            gaps[number] = after - before
    return gaps
