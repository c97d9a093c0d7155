"""Levels to propose for a factor: through a range, as a ladder, or at the same work in all."""

from __future__ import annotations

import math
from collections.abc import Sequence

Size = tuple[int, int]
LEAST_SIDE = 16


def ladder(low: float, high: float, *, factor: float = 2.0, whole: bool = True) -> list[float]:
    """From low to high, each `factor` times the one before: 4, 8, 16 …; the high end is always there.

    Raises `ValueError` when low is not above 0, high is below it, or the factor is not above 1.
    """
    if low <= 0 or high < low or factor <= 1:
        raise ValueError(f"a ladder needs 0 < low ≤ high and a factor above 1, got {low:g}, {high:g}, {factor:g}")
    steps = math.floor(math.log(high / low) / math.log(factor) + 1e-9)
    levels = [low * factor**step for step in range(steps + 1)]
    if levels[-1] < high * (1 - 1e-9):
        levels.append(high)
    return sorted({round(level) if whole else float(f"{level:.6g}") for level in levels})


def through_range(low: float, high: float, count: int, *, whole: bool) -> list[float]:
    """`count` levels from low to high: by even ratios where the range spans more than ten times, else by even steps.

    Raises `ValueError` when there is no range or fewer than two levels.
    """
    if count < 2 or high <= low:
        raise ValueError(f"a range needs low < high and at least two levels, got {low:g} to {high:g}, {count}")
    if low > 0 and high / low > 10:
        levels = [low * (high / low) ** (step / (count - 1)) for step in range(count)]
    else:
        levels = [low + (high - low) * step / (count - 1) for step in range(count)]
    return sorted({round(level) if whole else float(f"{level:.3g}") for level in levels})


def same_work(size: Size, samples: int, shares: Sequence[float]) -> list[tuple[Size, int]]:
    """Sizes and samples with about as many samples in all: twice the pixels, half the samples each.

    Parameters
    ----------
    shares : sequence of float
        Shares of the width and height, such as 0.5, 1, 2.

    Returns
    -------
    list of ((int, int), int)
        Sizes with even sides that keep the shape within a pixel, and whole samples, at least one. What is left after
        rounding is kept small by choosing the samples for the size as it came out.
    """
    total = size[0] * size[1] * samples
    rows = []
    for share in shares:
        width, height = (max(LEAST_SIDE, round(side * share)) for side in size)
        rows.append(((width, height), max(1, round(total / (width * height)))))
    return rows
