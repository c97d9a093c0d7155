"""Where a study's runs stand, and how long they will take."""

from __future__ import annotations

from collections.abc import Iterable

from django.db import models
from matchedpair.trials import RunningTime, time_left

from server.runs.models import Run, RunState


class StudyState(models.TextChoices):
    """What a study is doing."""

    PLANNED = "planned", "Planned"
    RUNNING = "running", "Running"
    PARTLY = "partly", "Partly done"
    DONE = "done", "Done"


def study_state(states: Iterable[str]) -> StudyState:
    """A study's state from those of its runs."""
    seen = set(states)
    if not seen:
        return StudyState.PLANNED
    if seen & {RunState.QUEUED, RunState.RUNNING}:
        return StudyState.RUNNING
    return StudyState.DONE if seen == {RunState.FINISHED} else StudyState.PARTLY


def seconds_left(runs: Iterable[Run]) -> tuple[float | None, float | None]:
    """Seconds left for the running one and for all of these."""
    return time_left([_as_seen(run) for run in runs])


def _as_seen(run: Run) -> RunningTime:
    running = run.state == RunState.RUNNING
    seconds = run.elapsed_seconds if running else run.wall_seconds
    return RunningTime(str(run.option_id), run.state, seconds, run.ready_seconds, run.share_done)
