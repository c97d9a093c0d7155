"""Which option serves a use: limits first, then the best trade between time and noise; and how easily that changes.

Noise ranks no engines that cheat differently, nor what is denoised or softer beside what is not: there the visible
error against the reference stands in its place.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from matchedpair.choose.uses import BREAKS, LIMIT_OF, UNKNOWN, UNSURE, Checked, Use, check
from matchedpair.curves.frontier import Frontier, Place, frontier, tied, unbeaten
from matchedpair.measures.figure import Figure

NOISE, VISIBLE = "noise", "visible"
FIFTH = 0.2
SAME_SCORE = 1e-9
LEFT_ASIDE = {
    "zone_noise": "no zone is drawn, so the worst zone is not limited",
    "visible": "there is no reference, so the visible error is not limited",
    "flicker": "no sequence is measured, so flicker is not limited",
}
BY_REFERENCE = ("stops", "colour", "detail")


@dataclass(frozen=True)
class Candidate:
    """An option as deciding sees it.

    Parameters
    ----------
    figures : mapping
        By the names of the limits; ``seconds`` and what ranks beside it are needed to be ranked.
    where : mapping
        By the name of a limit, the zone or scene that its figure is from.
    """

    name: str
    figures: Mapping[str, Figure]
    where: Mapping[str, str]


@dataclass(frozen=True)
class Standing:
    """How an option stands to a use: each limit, whether it is out, and its place on the frontier of what is left."""

    checked: tuple[Checked, ...]
    out: bool
    on_frontier: str = ""
    beaten_by: str = ""


@dataclass(frozen=True)
class Moved:
    """What is chosen when one limit or the weight is moved by a fifth."""

    what: str
    before: float
    after: float
    chosen: str


@dataclass(frozen=True)
class Decision:
    """The choice for a use; empty when none keeps the limits. `ties` cannot be told apart from it; `without` says why
    there is none, or which limit was left aside; `by` is the figure that ranks beside time.
    """

    chosen: str
    ties: tuple[str, ...]
    standings: dict[str, Standing]
    frontier: Frontier
    moved: tuple[Moved, ...]
    without: str = ""
    by: str = NOISE

    @property
    def doubts(self) -> tuple[str, ...]:
        """Limits that the choice may or may not keep: they lie within its interval."""
        there = self.standings[self.chosen].checked if self.chosen else ()
        return tuple(row.limit for row in there if row.state == UNSURE)

    @property
    def firm(self) -> bool:
        """Whether no move of a fifth changes the choice."""
        return all(move.chosen == self.chosen for move in self.moved)


def ranked_by(candidates: Mapping[str, Candidate], control: str, *, noise_ranks: bool) -> str:
    """What stands beside time: noise, or the visible error where noise does not rank these options and that is known of
    the control (by its key) and of another.
    """
    known = [key for key, option in candidates.items() if _can_be_ranked(option, VISIBLE)]
    return VISIBLE if not noise_ranks and control in known and len(known) > 1 else NOISE


def decide(use: Use, candidates: Mapping[str, Candidate], by: str = NOISE) -> Decision:
    """Choose among options (by any key) for a use, and try the choice with each limit and the weight a fifth off. `by`
    is what `ranked_by` says of them.

    A limit on zones, on visible error or on flicker is left aside where none is known of any option, and that is said.
    """
    lacking = [name for name in LEFT_ASIDE
               if name in use.limits and not any(name in option.figures for option in candidates.values())]  # fmt: skip
    if lacking:
        use = replace(use, limits={name: bound for name, bound in use.limits.items() if name not in lacking})
    standings, line = _stand(use, candidates, by)
    chosen = _best(use, candidates, line.order, by)
    ties = _ties(candidates, line, chosen, by)
    moves = []
    for name, bound in use.limits.items():
        for share in (1.0 - FIFTH, 1.0 + FIFTH):
            moved = replace(use, limits={**use.limits, name: bound * share})
            moves.append(Moved(name, bound, bound * share, _chosen(moved, candidates, by)))
    for share in (1.0 - FIFTH, 1.0 + FIFTH):
        weight = min(max(use.weight * share if use.weight else (share - 1.0), 0.0), 1.0)
        if weight != use.weight:
            moves.append(Moved("weight", use.weight, weight, _chosen(replace(use, weight=weight), candidates, by)))
    without = [] if chosen or not candidates else [_nearest(standings)]
    without += [LEFT_ASIDE[name] for name in lacking]
    return Decision(chosen, ties, standings, line, tuple(moves), "; ".join(filter(None, without)), by)


def _chosen(use: Use, candidates: Mapping[str, Candidate], by: str) -> str:
    """What would be chosen, told without placing all that is beaten."""
    kept = {
        key: _place(option, by) for key, option in candidates.items() if not _is_out(_checked(use, option), option, by)
    }
    return _best(use, candidates, unbeaten(kept), by)


def _checked(use: Use, option: Candidate) -> tuple[Checked, ...]:
    return tuple(
        check(name, bound, option.figures.get(name), option.where.get(name, "")) for name, bound in use.limits.items()
    )


def _is_out(checked: tuple[Checked, ...], option: Candidate, by: str) -> bool:
    """What is not known cannot be said to keep a limit, so it is not chosen; a limit inside the interval is a doubt."""
    return any(row.state in (BREAKS, UNKNOWN) for row in checked) or not _can_be_ranked(option, by)


def _stand(use: Use, candidates: Mapping[str, Candidate], by: str) -> tuple[dict[str, Standing], Frontier]:
    standings: dict[str, Standing] = {}
    for key, option in candidates.items():
        checked = _checked(use, option)
        out = _is_out(checked, option, by)
        standings[key] = Standing(checked, out)
    line = frontier({key: _place(candidates[key], by) for key, standing in standings.items() if not standing.out})
    for key, how in line.standing.items():
        standings[key] = replace(standings[key], on_frontier=how, beaten_by=line.beaten_by.get(key, ""))
    return standings, line


def _can_be_ranked(option: Candidate, by: str) -> bool:
    return all(name in option.figures and option.figures[name].value > 0.0 for name in ("seconds", by))


def _place(option: Candidate, by: str) -> Place:
    seconds, loss = option.figures["seconds"], option.figures[by]
    return Place(seconds.value, loss.value, seconds.interval, loss.interval)


def _best(use: Use, candidates: Mapping[str, Candidate], order: Sequence[str], by: str) -> str:
    def score(key: str) -> float:
        place = _place(candidates[key], by)
        return (1.0 - use.weight) * math.log(place.seconds) + use.weight * math.log(place.loss)

    return min(order, key=score, default="")


def _ties(candidates: Mapping[str, Candidate], line: Frontier, chosen: str, by: str) -> tuple[str, ...]:
    """Options that cannot be told from the chosen in time and quality."""
    if not chosen:
        return ()
    first = _place(candidates[chosen], by)
    return tuple(key for key in line.standing if key != chosen and tied(first, _place(candidates[key], by)))


def _nearest(standings: Mapping[str, Standing]) -> str:
    """Which limit leaves out most."""
    unknown = [row.limit for standing in standings.values() for row in standing.checked if row.state == UNKNOWN]
    lacking = next((name for name in BY_REFERENCE if unknown.count(name) == len(standings)), "")
    if lacking:
        return f"no option has a figure for {LIMIT_OF[lacking].title.lower()}: make a reference"
    counts: dict[str, int] = {}
    for standing in standings.values():
        for row in standing.checked:
            if row.state in (BREAKS, UNKNOWN):
                counts[row.limit] = counts.get(row.limit, 0) + 1
    if not counts:
        return ""
    worst = max(counts, key=lambda name: counts[name])
    return f"{LIMIT_OF[worst].title.lower()} leaves out {counts[worst]} of {len(standings)}"
