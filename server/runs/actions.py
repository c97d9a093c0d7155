"""What can be done to runs. Every change of state is one conditional write, so that two hands cannot both make it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.db.models import Max, QuerySet
from django.utils import timezone
from matchedpair.engines.process import Progress
from matchedpair.errors import InputError, PictureError
from matchedpair.measures import FileCheck, check_file, stops
from matchedpair.measures.file_checks import check_identical
from matchedpair.pictures import Picture
from matchedpair.trials import on_off_plan

from server.runs.models import BAD_STATES, ENDED_STATES, OPEN_STATES, Run, RunState
from server.store.files import keep, path_of
from server.store.pixels import PICTURE, stored_picture
from server.studies.models import Study

SETTING_DID_NOTHING = ", although the settings differ; the setting had no effect, is something else switched off"
SEED_DID_NOTHING = ", although the seeds differ; check that the engine uses its seed"
CLEARED: dict[str, Any] = {
    "stop_asked": False, "reason": "", "started_at": None, "ended_at": None, "share_done": None,
    "elapsed_seconds": None, "wall_seconds": None, "ready_seconds": None, "cpu_seconds": None,
    "cpu_ready_seconds": None, "peak_memory_bytes": None, "structures_bytes": None, "load_before": None,
    "exit_code": None, "machine": None, "engine_version": "", "command": [], "log": "", "picture": "",
    "passes": {}, "checks": [],
}  # fmt: skip


@transaction.atomic
def queue_study(study: Study) -> int:
    """Queue what the study's plan still lacks, and its failed and stopped runs again. Returns how many.

    Raises `InputError` for a study whose renders were made elsewhere.
    """
    _must_be_ours(study)
    order = _end_of_queue()
    options = {option.side: option for option in study.options.all()}
    queued = 0
    for position, row in enumerate(on_off_plan(study.repeats)):
        run, made = Run.objects.get_or_create(
            option=options[row.side], seed=row.seed, warm_up=row.warm_up,
            defaults={"study": study, "position": position, "queued_order": order + position},
        )  # fmt: skip
        queued += made or _requeued(run, BAD_STATES, order + position)
    return queued


@transaction.atomic
def run_again(run: Run) -> None:
    """Queue one ended run again. Raises `InputError` while it is queued or running, or when it was made elsewhere."""
    _must_be_ours(run.study)
    order = _end_of_queue()
    if not _requeued(run, ENDED_STATES, order):
        raise InputError("this run is still queued or running; stop it first")


def stop_runs(runs: QuerySet[Run]) -> int:
    """Stop these runs: queued ones at once, a running one as soon as the runner sees it. Returns how many."""
    waiting = runs.filter(state=RunState.QUEUED).update(
        state=RunState.STOPPED, reason="Stopped by hand before it began.", ended_at=timezone.now()
    )
    return waiting + runs.filter(state=RunState.RUNNING).update(stop_asked=True)


def claim(run_id: int) -> bool:
    """Take a queued run for rendering; False when it was stopped meanwhile."""
    row = Run.objects.filter(pk=run_id, state=RunState.QUEUED, stop_asked=False)
    attempt = Run.objects.values_list("attempt", flat=True).get(pk=run_id) + 1
    return bool(row.update(state=RunState.RUNNING, started_at=timezone.now(), attempt=attempt, share_done=None))


def requeue(run_id: int) -> None:
    """Put back a run whose runner was killed."""
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(**CLEARED, state=RunState.QUEUED)


def mark_stopped(run_id: int) -> None:
    """A run that nobody renders and that is not to be rendered."""
    Run.objects.filter(pk=run_id, state__in=OPEN_STATES).update(
        state=RunState.STOPPED, reason="Stopped by hand.", ended_at=timezone.now()
    )


def mark_failed(run_id: int, reason: str, **known: Any) -> None:
    """A run that could not be started or whose result is lost."""
    Run.objects.filter(pk=run_id, state__in=OPEN_STATES).update(
        state=RunState.FAILED, reason=reason, ended_at=timezone.now(), **known
    )


def note_progress(run_id: int, progress: Progress) -> None:
    """Write how far a running run is."""
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(
        share_done=progress.share, elapsed_seconds=progress.elapsed_seconds, ready_seconds=progress.ready_seconds
    )


def record_result(run_id: int, result: dict[str, Any]) -> None:
    """Keep the picture, check it, and write the outcome in one go.

    The picture is safe in the store before the row says so; killed in between, the run is made again and the picture
    stored under the same hash.
    """
    fields = {key: result[key] for key in (
        "wall_seconds", "ready_seconds", "cpu_seconds", "cpu_ready_seconds", "peak_memory_bytes",
        "structures_bytes", "load_before", "exit_code", "machine", "engine_version", "command", "log", "state",
        "reason",
    )}  # fmt: skip
    run = Run.objects.select_related("study", "option__setup").get(pk=run_id)
    if result["picture"] is not None:
        fields["picture"] = keep(result["picture"], PICTURE)
        fields["passes"] = {name: keep(contents, PICTURE) for name, contents in result["passes"].items()}
        fields |= _judged(run, fields)
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(
        **fields, share_done=None, elapsed_seconds=None, stop_asked=False, ended_at=timezone.now()
    )


def _judged(run: Run, fields: dict[str, Any]) -> dict[str, Any]:
    """The checks on the stored picture; a finding that stops all measuring makes the run a failed one.

    A picture that can be read is kept all the same, for looking at what went wrong.
    """
    checks = _findings(run, fields["picture"])
    judged: dict[str, Any] = {"checks": checks}
    worst = next((check for check in checks if check["severity"] == "stop"), None)
    if worst and fields["state"] == RunState.FINISHED:
        judged |= {"state": RunState.FAILED, "reason": worst["message"]}
    if worst and worst["code"] == "unreadable":
        judged |= {"picture": "", "checks": []}
    return judged


def _findings(run: Run, digest: str) -> list[dict[str, Any]]:
    """What is wrong with a stored picture by itself, and whether it equals one that it should not, as plain rows."""
    picture, found = check_file(path_of(digest, PICTURE), run.option.setup.description().picture_size)
    if picture is not None and not stops(found):
        found += _identical_to_others(run, picture)
    return [check.row() for check in found]


def _identical_to_others(run: Run, picture: Picture) -> list[FileCheck]:
    """Bit-equal pictures of other settings or seeds, by their pixels: the files differ in the date they carry."""
    found: list[FileCheck] = []
    others = Run.objects.filter(study=run.study, state=RunState.FINISHED).exclude(pk=run.pk).select_related("option")
    for other in others:
        same_option = other.option_id == run.option_id
        if not same_option and other.seed != run.seed:
            continue
        although = SEED_DID_NOTHING if same_option else SETTING_DID_NOTHING
        try:
            kept = stored_picture(other.picture)
        except PictureError:
            continue
        found += check_identical(picture, kept, f"{other.option.side} seed {other.seed}", although)
    return found


def _end_of_queue() -> float:
    return (Run.objects.aggregate(last=Max("queued_order"))["last"] or 0) + 1


def _requeued(run: Run, states: Sequence[RunState], order: float) -> int:
    """Clear a run that is in one of these states and queue it; 0 when it is in none of them."""
    return Run.objects.filter(pk=run.pk, state__in=states).update(**CLEARED, state=RunState.QUEUED, queued_order=order)


def _must_be_ours(study: Study) -> None:
    if study.from_elsewhere:
        raise InputError("these renders were made elsewhere; they cannot be rendered again here")
