"""Explores settings for the frontier of time and change: every combination is compared with the highest settings.

The second way of searching, for spaces in which settings act together. A state machine without input or output, like
`raising`: what was tried goes in, the next way to render or the end comes out. What is tried next is proposed by
Optuna's tree-structured Parzen estimator for several objectives (Ozaki et al. 2022), from all that was tried so far and
a seed, so that the same history gives the same proposal.
"""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import TYPE_CHECKING, Literal

from matchedpair.engines.setting import Value
from matchedpair.search.raising import Change, Ladder, SettingsKey, budget_used, settings_key
from matchedpair.search.step import SearchStep, Settings, Wanted

if TYPE_CHECKING:
    from optuna.distributions import BaseDistribution
    from optuna.study import Study

FIRST_AT_RANDOM = 6
ASKED_AGAIN = 25
MOST_LISTED = 20_000
State = Literal["render", "done", "failed"]


@dataclass(frozen=True)
class Tried:
    """One combination: its seconds, and what it changes against the top; None where its render failed."""

    settings: Settings
    seconds: float | None
    change: Change | None

    @property
    def good(self) -> bool:
        """Whether there is anything to judge it by."""
        return self.seconds is not None and self.change is not None


@dataclass(frozen=True)
class ExploringStep(SearchStep):
    """What to do now. `settings` are the result so far: of the ways within the threshold that no other is below in
    every setting, the fastest. `frontier` are the ways that no other beats in both time and change, fastest first.
    """

    state: State
    settings: dict[str, Value]
    frontier: tuple[Tried, ...] = ()


def top_of(ladders: Sequence[Ladder], start: Settings) -> dict[str, Value]:
    """All settings, those with a ladder at its top: what everything is compared with."""
    return {**start, **{ladder.setting: ladder.levels[-1] for ladder in ladders}}


def next_explored(
    ladders: Sequence[Ladder],
    start: Settings,
    tried: Sequence[Tried],
    *,
    most_renders: int | None = None,
    spent_seconds: float = 0.0,
    most_seconds: float | None = None,
    seed: int = 1,
) -> ExploringStep:
    """The next way to render, or the end.

    Parameters
    ----------
    ladders : sequence of Ladder
        The space: every combination of their levels.
    start : mapping
        All settings; those with a ladder are replaced.
    tried : sequence of Tried
        In the order in which they were rendered; the first is the top, which changes nothing against itself.
    most_renders, most_seconds : optional
        Budget, whose end is the usual end of it; without one all combinations are tried.

    Raises
    ------
    ValueError
        When there is no ladder.
    """
    if not ladders:
        raise ValueError("choose at least one setting to explore")
    top = top_of(ladders, start)
    if not tried:
        words = "all settings at their highest, which everything is compared with"
        return ExploringStep("render", top, words=words, wanted=Wanted(top, top))
    if not tried[0].good:
        return ExploringStep("failed", top, words="the render with all settings at their highest failed")
    evened = evened_out(ladders, tried)
    front = frontier(evened)
    best = _least_within(ladders, evened, top)
    space = math.prod(len(ladder.levels) for ladder in ladders)
    visited = {settings_key(row.settings) for row in tried}
    if len(visited) >= space:
        return ExploringStep("done", best, front, words=f"all {space} combinations are tried")
    spent = budget_used(len(visited), 1, most_renders, spent_seconds, most_seconds)
    if spent:
        return ExploringStep("done", best, front, words=f"{spent}; the best of {len(visited)} ways")
    found = _proposed(ladders, start, evened, visited, seed)
    way = f"way {len(visited) + 1}: {_told(ladders, found)}"
    return ExploringStep("render", best, front, words=way, wanted=Wanted(found, top))


def evened_out(ladders: Sequence[Ladder], tried: Sequence[Tried]) -> list[Tried]:
    """The same ways with times that never fall as settings rise; those without a time stay as they are.

    Lower levels are less work, whatever single small renders happened to take. Each time becomes the middle between the
    longest of the ways below it in every setting and the shortest of those above: isotonic regression in the largest
    deviation (Robertson, Wright & Dykstra, Order Restricted Statistical Inference, 1988).
    """
    good = [row for row in tried if row.good]
    levels = [_levels(ladders, row) for row in good]
    times = [_figures(row)[0] for row in good]
    evened = {}
    for row, own in zip(good, levels, strict=True):
        below = max(time for time, other in zip(times, levels, strict=True) if _at_most(other, own))
        above = min(time for time, other in zip(times, levels, strict=True) if _at_most(own, other))
        evened[settings_key(row.settings)] = (below + above) / 2.0
    return [replace(row, seconds=evened.get(settings_key(row.settings), row.seconds)) for row in tried]


def _levels(ladders: Sequence[Ladder], row: Tried) -> list[int]:
    return [ladder.levels.index(row.settings[ladder.setting]) for ladder in ladders]


def _at_most(one: Sequence[int], other: Sequence[int]) -> bool:
    return all(a <= b for a, b in zip(one, other, strict=True))


def frontier(tried: Sequence[Tried]) -> tuple[Tried, ...]:
    """The ways that no other beats in both time and change, fastest first; equal ones once."""
    good = sorted((row for row in tried if row.good), key=_figures)
    kept: list[Tried] = []
    for row in good:
        if not kept or _figures(row)[1] < _figures(kept[-1])[1]:
            kept.append(row)
    return tuple(kept)


def _figures(row: Tried) -> tuple[float, float]:
    assert row.seconds is not None
    assert row.change is not None
    return row.seconds, row.change.amount


def _least_within(ladders: Sequence[Ladder], tried: Sequence[Tried], top: dict[str, Value]) -> dict[str, Value]:
    """Of the ways within the threshold the fastest of those that have no other below them in every setting."""
    within = [row for row in tried if row.good and _figures(row)[1] <= 1.0]
    levels = [_levels(ladders, row) for row in within]
    least = [
        row
        for row, own in zip(within, levels, strict=True)
        if not any(other != own and _at_most(other, own) for other in levels)
    ]
    return dict(min(least, key=_figures).settings) if least else top


def _proposed(
    ladders: Sequence[Ladder], start: Settings, tried: Sequence[Tried], visited: set[SettingsKey], seed: int
) -> dict[str, Value]:
    """A combination that was not tried yet: Optuna's, or by chance where it only proposes known ones."""
    study, distributions = _study(ladders, tried, seed)
    for _ in range(ASKED_AGAIN):
        asked = study.ask(distributions)
        found = {**start, **{ladder.setting: ladder.levels[asked.params[ladder.setting]] for ladder in ladders}}
        if settings_key(found) not in visited:
            return found
    dice = random.Random(seed * 1000 + len(tried))
    for levels in _shuffled(ladders, dice):
        found = {**start, **{ladder.setting: level for ladder, level in zip(ladders, levels, strict=True)}}
        if settings_key(found) not in visited:
            return found
    raise AssertionError("all combinations are tried, which is asked before")


def _shuffled(ladders: Sequence[Ladder], dice: random.Random) -> Sequence[tuple[Value, ...]]:
    """All combinations in an order by chance; of a very large space, as many picked at random."""
    if math.prod(len(ladder.levels) for ladder in ladders) <= MOST_LISTED:
        rows = list(product(*(ladder.levels for ladder in ladders)))
        dice.shuffle(rows)
        return rows
    return [tuple(dice.choice(ladder.levels) for ladder in ladders) for _ in range(MOST_LISTED)]


def _study(ladders: Sequence[Ladder], tried: Sequence[Tried], seed: int) -> tuple[Study, dict[str, BaseDistribution]]:
    """Optuna's study with all that was tried; levels are whole numbers, since they rise in order."""
    import optuna  # noqa: PLC0415 - takes a third of a second, which no other part should wait for

    optuna.logging.set_verbosity(optuna.logging.ERROR)
    distributions: dict[str, BaseDistribution] = {
        ladder.setting: optuna.distributions.IntDistribution(0, len(ladder.levels) - 1) for ladder in ladders
    }
    sampler = optuna.samplers.TPESampler(seed=seed + len(tried), n_startup_trials=FIRST_AT_RANDOM, multivariate=True)
    study = optuna.create_study(directions=["minimize", "minimize"], sampler=sampler)
    for row in tried:
        params = {ladder.setting: ladder.levels.index(row.settings[ladder.setting]) for ladder in ladders}
        state = optuna.trial.TrialState.COMPLETE if row.good else optuna.trial.TrialState.FAIL
        values = [math.log(max(_figures(row)[0], 1e-6)), math.log1p(_figures(row)[1])] if row.good else None
        study.add_trial(
            optuna.trial.create_trial(state=state, values=values, params=params, distributions=distributions)
        )
    return study, distributions


def _told(ladders: Sequence[Ladder], settings: Settings) -> str:
    return ", ".join(f"{ladder.setting} {settings[ladder.setting]}" for ladder in ladders)
