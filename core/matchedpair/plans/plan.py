"""The renders a study will make: its shape, its options, their controls, and the order in which they are rendered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from typing import Literal

CONTROL, TRIAL = "control", "trial"
FIRST_SEED = 1
WARM_UP_SEED = 0
MOST_OPTIONS = 2000

Shape = Literal["each", "table", "together"]
Combination = tuple[int, ...]


@dataclass(frozen=True)
class PlanOption:
    """One option, as the order of renders sees it.

    Parameters
    ----------
    warms : str
        What one warm-up gets ready for: engine, build and scene.
    comes_with : int or None
        The option (by number) whose render writes this one's picture on the way; None when it has renders of its own.
    """

    warms: str
    comes_with: int | None = None


@dataclass(frozen=True)
class PlannedRun:
    """One render to come: of which option (by number), which seed, and whether it is a warm-up, never counted."""

    option: int
    seed: int
    warm_up: bool


def combinations(shape: Shape, others: Sequence[int]) -> list[Combination]:
    """The options of a plan, the control first: for each factor the number of its level, 0 being the baseline.

    Parameters
    ----------
    shape : str
        ``each``: every other level alone, the rest at the baseline. ``table``: every level with every other.
        ``together``: the factors move in step.
    others : sequence of int
        For each factor how many levels it has besides the baseline.

    Raises
    ------
    ValueError
        When factors that move in step have different numbers of levels, or the plan is larger than `MOST_OPTIONS`.
    """
    count = size_of(shape, others)
    if count > MOST_OPTIONS:
        raise ValueError(f"{count} options are more than the {MOST_OPTIONS} that one plan may have; take levels out")
    baseline = (0,) * len(others)
    if shape == "table":
        return list(product(*(range(n + 1) for n in others)))
    if shape == "together":
        if len(set(others)) > 1:
            raise ValueError(f"factors that move in step need as many levels each, got {_counts(others)}")
        return [baseline, *((level,) * len(others) for level in range(1, (others[0] if others else 0) + 1))]
    alone = [
        tuple(level if place == factor else 0 for place in range(len(others)))
        for factor, n in enumerate(others)
        for level in range(1, n + 1)
    ]
    return [baseline, *alone]


def size_of(shape: Shape, others: Sequence[int]) -> int:
    """How many options a plan has, told without making them."""
    if shape == "table":
        count = 1
        for n in others:
            count *= n + 1
        return count
    return 1 + (sum(others) if shape == "each" else max(others, default=0))


def controls(shape: Shape, rows: Sequence[Combination], places: Sequence[bool]) -> list[int | None]:
    """For each option the number of its control, None for a control itself.

    Parameters
    ----------
    places : sequence of bool
        For each factor whether it says *where* is rendered (scene, view, frame, size, variant, quantity) and not *how*.

    In a table that varies both, every place has a control of its own, rendered as the baseline renders: an engine's
    picture of one scene is compared with the other engine's picture of that scene, never of another.
    """
    if shape != "table" or all(places) or not any(places):
        return [None if not any(row) else 0 for row in rows]
    numbers = {row: number for number, row in enumerate(rows)}
    own = [tuple(level if place else 0 for level, place in zip(row, places, strict=True)) for row in rows]
    return [None if row == control else numbers[control] for row, control in zip(rows, own, strict=True)]


def render_order(options: Sequence[PlanOption], repeats: int = 2, first_seed: int = FIRST_SEED) -> list[PlannedRun]:
    """Warm-ups first, one for all that share what they get ready; then the seeds in turn, the options interleaved.

    At each seed the order is turned round (control, trial, trial, control): a steady drift of the machine so falls on
    all options alike, where the control always first would favour it. An option that another's render brings has
    no row.

    Raises
    ------
    ValueError
        With fewer than two repeats from the first seed: without twins the noise is unknown.
    """
    if first_seed == FIRST_SEED and repeats < 2:
        raise ValueError(f"an option needs at least two seeds to know its noise, got {repeats}")
    own = [number for number, option in enumerate(options) if option.comes_with is None]
    warmed: dict[str, int] = {}
    for number in own:
        warmed.setdefault(options[number].warms, number)
    rows = [PlannedRun(number, WARM_UP_SEED, True) for number in warmed.values()]
    for turn in range(repeats):
        order = own if turn % 2 == 0 else own[::-1]
        rows += [PlannedRun(number, first_seed + turn, False) for number in order]
    return rows


def _counts(others: Sequence[int]) -> str:
    return " and ".join(map(str, others))
