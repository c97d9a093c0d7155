"""How long the runs that are still to come will take, from those that are done and the one under way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

CERTAIN_SHARE = 0.05  # less progress than this says nothing about the rest


@dataclass(frozen=True)
class RunningTime:
    """A run as the estimate sees it: which option, and how far.

    ``seconds`` is the total of a finished run; of a running one what has passed, of which ``ready_seconds`` went
    before the first light; ``share`` is how much of a running one is done.
    """

    option: str
    state: str
    seconds: float | None = None
    ready_seconds: float | None = None
    share: float | None = None


def time_left(runs: Sequence[RunningTime]) -> tuple[float | None, float | None]:
    """Seconds left for the run under way and for all together; None while nothing can be said.

    A running one is carried forward by its own progress after getting ready, or else by the median of finished runs
    of its option; a queued one takes that median, or the median of all that are known.
    """
    known: dict[str, list[float]] = {}
    for run in runs:
        whole = run.seconds if run.state == "finished" else _whole(run) if run.state == "running" else None
        if whole is not None:
            known.setdefault(run.option, []).append(whole)
    usual = {option: median(times) for option, times in known.items()}
    overall = median(t for times in known.values() for t in times) if known else None
    current: float | None = None
    total: float | None = 0.0
    for run in runs:
        if run.state not in ("running", "queued"):
            continue
        whole = _whole(run) if run.state == "running" else None
        whole = whole if whole is not None else usual.get(run.option, overall)
        left = None if whole is None else max(whole - (run.seconds or 0.0), 0.0)
        if run.state == "running":
            current = left
        total = None if total is None or left is None else total + left
    return current, total


def _whole(run: RunningTime) -> float | None:
    if run.share is None or run.share < CERTAIN_SHARE or run.seconds is None:
        return None
    ready = run.ready_seconds or 0.0
    return ready + (run.seconds - ready) / run.share
