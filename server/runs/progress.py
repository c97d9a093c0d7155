"""Where a study's runs stand, and how long they will take."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from django.db import models
from matchedpair.trials import FIRST_SEED, RunningTime, time_left

from server.runs.models import Run, RunState
from server.studies.models import Option, Purpose, Study


class StudyState(models.TextChoices):
    """What a study is doing."""

    PLANNED = "planned", "Planned"
    RUNNING = "running", "Running"
    PARTLY = "partly", "Partly done"
    DONE = "done", "Done"


def study_state(study: Study, states: Iterable[str]) -> StudyState:
    """A study's state from those of its runs, and from whether its plan was widened since."""
    return state_of(Counter(states), lacking=lacking_renders(study) > 0)


def state_of(counts: Counter[str], *, lacking: bool) -> StudyState:
    """A study's state from how many runs are in which, and whether its plan wants more than there are."""
    if not counts:
        return StudyState.PLANNED
    if counts[RunState.QUEUED] or counts[RunState.RUNNING]:
        return StudyState.RUNNING
    whole = all(state == RunState.FINISHED for state, count in counts.items() if count)
    return StudyState.DONE if whole and not lacking else StudyState.PARTLY


def planned_renders(study: Study) -> int:
    """Renders that the whole plan takes, warm-ups and what comes with others apart."""
    if study.from_elsewhere:
        return study.runs.count()
    return _own_options(study).count() * study.repeats


def lacking_renders(study: Study) -> int:
    """Of these the ones that have no run yet."""
    if study.from_elsewhere:
        return 0
    options = _own_options(study)
    there = Run.objects.filter(option__in=options, warm_up=False, seed__lt=FIRST_SEED + study.repeats).count()
    return max(options.count() * study.repeats - there, 0)


def _own_options(study: Study) -> models.QuerySet[Option]:
    """What is rendered: in the plan, not left out, not coming with another."""
    return Option.objects.filter(study=study, in_plan=True, left_out="", comes_with=None, purpose=Purpose.COUNTED)


def seconds_left(runs: Iterable[Run]) -> tuple[float | None, float | None]:
    """Seconds left for the running one and for all of these."""
    return time_left([_as_seen(run) for run in runs])


def _as_seen(run: Run) -> RunningTime:
    running = run.state == RunState.RUNNING
    seconds = run.elapsed_seconds if running else run.wall_seconds
    return RunningTime(str(run.option_id), run.state, seconds, run.ready_seconds, run.share_done)
