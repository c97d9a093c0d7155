"""Settings found at some frames, joined to ranges of frames, and what one setting for all of them wastes.

Nothing is known of the frames in between, so that a frame takes the higher level of the looked-at frames on its two
sides, and a stated number of levels more for safety.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from matchedpair.engines.setting import Value
from matchedpair.measures.cost import SMALLEST_THAT_MATTERS
from matchedpair.search.raising import Ladder
from matchedpair.search.step import Settings


@dataclass(frozen=True)
class FrameRange:
    """Frames that are rendered with the same settings, first and last included."""

    first: int
    last: int
    settings: dict[str, Value]


@dataclass(frozen=True)
class Waste:
    """Rendering seconds of all frames by range and with constant settings; both by straight lines between the frames
    that were timed. `share` is the part of the constant's time that the ranges save.
    """

    by_range_seconds: float
    constant_seconds: float

    @property
    def share(self) -> float:
        """0 when nothing is wasted."""
        return 1.0 - self.by_range_seconds / self.constant_seconds if self.constant_seconds > 0.0 else 0.0

    @property
    def told(self) -> float | None:
        """The share; None where it is too small to matter, or chance, since higher settings are no less work."""
        return self.share if self.share >= SMALLEST_THAT_MATTERS else None


def joined(
    found: Mapping[int, Settings],
    ladders: Sequence[Ladder],
    *,
    first: int,
    last: int,
    more_levels: int = 0,
) -> tuple[FrameRange, ...]:
    """Ranges over all frames from `first` to `last`.

    Parameters
    ----------
    found : mapping
        Settings by frame that was looked at.
    ladders : sequence of Ladder
        The levels from low to high, which tell what is higher.
    more_levels : int
        How many levels each setting is raised for safety, as far as its ladder goes.

    Raises
    ------
    ValueError
        When no frame was looked at, the range is empty, or a level is not on its ladder.
    """
    if not found:
        raise ValueError("no frame was looked at")
    if first > last:
        raise ValueError(f"the range {first} to {last} holds no frame")
    ranges: list[FrameRange] = []
    for frame in range(first, last + 1):
        settings = _highest([found[each] for each in _around(sorted(found), frame)], ladders, more_levels)
        if ranges and ranges[-1].settings == settings:
            ranges[-1] = FrameRange(ranges[-1].first, frame, settings)
        else:
            ranges.append(FrameRange(frame, frame, settings))
    return tuple(ranges)


def constant(found: Mapping[int, Settings], ladders: Sequence[Ladder], *, more_levels: int = 0) -> dict[str, Value]:
    """The highest level of each setting over all frames, and as many more. Raises `ValueError`."""
    if not found:
        raise ValueError("no frame was looked at")
    return _highest(list(found.values()), ladders, more_levels)


def waste(by_range: Mapping[int, float], constant_: Mapping[int, float], *, first: int, last: int) -> Waste | None:
    """What constant settings cost over all frames, from seconds by frame; None when no frame was timed with both."""
    timed = sorted(by_range.keys() & constant_.keys())
    if not timed:
        return None
    frames = np.arange(first, last + 1)
    sums = [float(np.interp(frames, timed, [seconds[frame] for frame in timed]).sum()) for seconds in
            (by_range, constant_)]  # fmt: skip
    return Waste(*sums)


def _around(frames: Sequence[int], frame: int) -> list[int]:
    """The frame itself when it was looked at, else those next to it on both sides."""
    if frame in frames:
        return [frame]
    before = [each for each in frames if each < frame]
    after = [each for each in frames if each > frame]
    return [*before[-1:], *after[:1]]


def _highest(rows: Sequence[Settings], ladders: Sequence[Ladder], more_levels: int) -> dict[str, Value]:
    settings = dict(rows[0])
    for ladder in ladders:
        try:
            level = max(ladder.levels.index(row[ladder.setting]) for row in rows)
        except (ValueError, KeyError) as error:
            raise ValueError(f"{ladder.setting}: a level is not on its ladder") from error
        settings[ladder.setting] = ladder.levels[min(level + more_levels, len(ladder.levels) - 1)]
    return settings
