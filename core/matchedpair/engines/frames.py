"""Frames of a sequence that one process renders: what is known of each, and how the seconds are shared out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

EVEN_SHARES = "the frames were not written one after the other: each is given an even share of the time"


@dataclass(frozen=True)
class FrameMade:
    """A frame of a sequence: its picture and passes, and its own share of the seconds.

    The first one's share holds getting ready, the last one's the end of the process.
    """

    frame: int
    path: Path
    passes: dict[str, Path]
    wall_seconds: float
    cpu_seconds: float | None
    reached: float | None


@dataclass(frozen=True)
class FrameShares:
    """Wall and, where they are known, CPU seconds by frame; `even` where nothing tells them apart."""

    wall: dict[int, float]
    cpu: dict[int, float]
    even: bool = False


def frame_shares(
    frames: Sequence[int],
    whole: float,
    cpu: float | None,
    said: Mapping[int, tuple[float, float | None]],
    written: Mapping[int, float],
) -> FrameShares:
    """Share out what a process took over the frames that it rendered one after the other.

    Parameters
    ----------
    frames : sequence of int
        In the order in which they were asked for.
    whole, cpu : float
        Wall and CPU seconds of the process; no CPU seconds where they say nothing.
    said : mapping
        Wall and CPU seconds at which it said that a frame was done, since it began.
    written : mapping
        When each frame's picture was written last, in seconds since any moment.
    """
    order = list(frames)
    last = order[-1]
    if all(frame in said for frame in order):
        # lines that came in one breath, on a busy machine, tell nothing
        wall = _steps([*(said[each][0] for each in order[:-1]), whole])
        if min(wall) > 0.0:
            used = [said[each][1] for each in order[:-1]]
            known = [each for each in used if each is not None]
            spent = _steps([*known, cpu]) if cpu is not None and len(known) == len(used) else []
            return FrameShares(dict(zip(order, wall, strict=True)), dict(zip(order, spent, strict=False)))
    if all(frame in written for frame in order):
        wall = _steps([*(whole - (written[last] - written[each]) for each in order[:-1]), whole])
        if min(wall) > 0.0:
            return FrameShares(dict(zip(order, wall, strict=True)), {})
    return FrameShares(dict.fromkeys(order, whole / len(order)), {}, even=True)


def _steps(moments: Sequence[float]) -> list[float]:
    """The seconds from each moment to the next, the first from zero."""
    return [later - earlier for earlier, later in zip([0.0, *moments[:-1]], moments, strict=True)]
