"""Where a study's runs stand, and how long they will take."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from django.db import models
from matchedpair.plans import FIRST_SEED
from matchedpair.queue import RunningTime, time_left

from server.runs.models import Run, RunState
from server.studies.models import Option, Purpose, Study

MOST_KNOWN = 2000


class StudyState(models.TextChoices):
    """What a study is doing."""

    PLANNED = "planned", "Planned"
    RUNNING = "running", "Running"
    PARTLY = "partly", "Partly done"
    DONE = "done", "Done"


def state_of(counts: Counter[str], *, lacking: bool) -> StudyState:
    """A study's state from how many runs are in which, and whether its plan wants more than there are."""
    if not counts:
        return StudyState.PLANNED
    if counts[RunState.QUEUED] or counts[RunState.RUNNING]:
        return StudyState.RUNNING
    whole = all(state == RunState.FINISHED for state, count in counts.items() if count)
    return StudyState.DONE if whole and not lacking else StudyState.PARTLY


def planned_renders(study: Study) -> int:
    """Renders that the whole plan takes, warm-ups and what others bring apart."""
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


def seconds_left(study: Study | None, opened: Iterable[Run]) -> tuple[float | None, float | None]:
    """Seconds left for the render under way and for all of these, from what the study's finished renders took.

    Without a study, from those of all studies that these runs belong to.
    """
    opened = list(opened)
    if not opened:
        return None, 0.0
    studies = [study.pk] if study else {run.study_id for run in opened}
    done = Run.objects.filter(study__in=studies, state=RunState.FINISHED, made_by=None).exclude(wall_seconds=None)
    known = done.order_by("-ended_at").values_list("option", "wall_seconds")[:MOST_KNOWN]
    finished = [RunningTime(str(option), RunState.FINISHED, seconds) for option, seconds in known]
    return time_left([*finished, *(_as_seen(run) for run in opened)])


def _as_seen(run: Run) -> RunningTime:
    return RunningTime(str(run.option_id), run.state, run.elapsed_seconds, run.ready_seconds, run.share_done)
