"""A speed-up over several scenes: the worst and the usual one, never only the best."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from statistics import median

from matchedpair.curves.same import SameNoise, is_tie
from matchedpair.measures.figure import three


@dataclass(frozen=True)
class OverScenes:
    """Of an option's speed-ups by place: the worst with its place, the middle one, and how many could be told.

    `unreachable` lists places where the option never gets as clean: worse than any number.
    """

    worst: float | None
    worst_place: str
    usual: float | None
    told: int
    unreachable: tuple[str, ...]
    words: str


def over_scenes(speed_ups: Mapping[str, SameNoise | None]) -> OverScenes:
    """Sum up an option's speed-ups at the same noise by place; None where nothing is known."""
    unreachable = tuple(place for place, row in speed_ups.items() if row is not None and row.reachable is False)
    known = {
        place: row for place, row in speed_ups.items() if row is not None and row.speed_up is not None
    }  # fmt: skip
    values = {place: row.speed_up for place, row in known.items() if row.speed_up is not None}
    if not values:
        words = f"not reachable in {', '.join(unreachable)}" if unreachable else "nothing can be told yet"
        return OverScenes(None, "", None, 0, unreachable, words)
    worst = min(values, key=lambda place: values[place])
    usual = median(values.values())
    parts = [f"usually {three(usual)} times" if len(values) > 1 else f"{three(usual)} times in {worst}"]
    if len(values) > 1:
        tie = ", no difference" if is_tie(values[worst], known[worst].interval) else ""
        parts.append(f"at worst {three(values[worst])} times in {worst}{tie}")
    if unreachable:
        parts.append(f"not reachable in {', '.join(unreachable)}")
    missing = len(speed_ups) - len(values) - len(unreachable)
    if missing:
        parts.append(f"not told in {missing} of {len(speed_ups)}")
    return OverScenes(values[worst], worst, usual, len(values), unreachable, "; ".join(parts))
