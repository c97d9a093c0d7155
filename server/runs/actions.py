"""What can be done to runs. Every change of state is one conditional write, so that two hands cannot both make it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import F, Max, Min, QuerySet
from django.utils import timezone
from matchedpair.engines.process import Progress
from matchedpair.errors import InputError
from matchedpair.plans import FIRST_SEED, WARM_UP_SEED, PlanOption, render_order

from server.runs.models import BAD, BAD_STATES, ENDED_STATES, OPEN_STATES, Queue, Run, RunState
from server.store.notices import PROGRESS, RUNS, ring_after_commit
from server.studies.actions import remove
from server.studies.models import Option, Purpose, Study, warm_key

REFERENCE_SEED = 501  # no study has so many seeds
WARM_FOR = timedelta(hours=1)  # after that compiled kernels and loaded files may be gone from memory again
CLEARED: dict[str, Any] = {
    "stop_asked": False, "reason": "", "started_at": None, "ended_at": None, "share_done": None,
    "elapsed_seconds": None, "wall_seconds": None, "ready_seconds": None, "cpu_seconds": None,
    "cpu_ready_seconds": None, "peak_memory_bytes": None, "structures_bytes": None, "load_before": None,
    "exit_code": None, "machine": None, "machine_name": "", "engine_version": "", "command": [], "log": "",
    "picture": "", "passes": {}, "checks": [], "reached": None, "frames_per_second": None, "pixel_hash": "",
    "picture_bytes": None, "let_go_at": None,
}  # fmt: skip


@transaction.atomic
def queue_study(study: Study) -> int:
    """Queue what the study's plan still lacks, and its failed and stopped runs again. Returns how many renders.

    A warm-up goes first for every engine, build and scene that has not rendered within the last hour.

    Raises `InputError` for a study whose renders were made elsewhere.
    """
    return _queue(study, _planned(study), study.repeats, FIRST_SEED)


@transaction.atomic
def queue_options(study: Study, options: Sequence[Option], repeats: int | None = None) -> int:
    """Queue what these options still lack of so many repeats, the study's where none are given. Returns how many
    renders.
    """
    return _queue(study, list(options), study.repeats if repeats is None else repeats, FIRST_SEED)


@transaction.atomic
def queue_references(study: Study, options: Sequence[Option], twins: int) -> int:
    """Queue what is to judge the others, with seeds that none of them has: noise that both share would be no error.
    Returns how many renders.
    """
    return _queue(study, list(options), twins, REFERENCE_SEED)


@transaction.atomic
def add_seed(study: Study, options: Sequence[Option]) -> int:
    """Queue one more seed of these options, interleaved. Returns how many renders."""
    last = Run.objects.filter(option__in=options, warm_up=False).aggregate(last=Max("seed"))["last"] or 0
    rendered = [option.comes_with or option for option in options]
    unique = list({option.pk: option for option in rendered}.values())
    return _queue(study, unique, 1, last + 1)


@transaction.atomic
def queue_pilot(study: Study, options: Sequence[Option], *, next_up: bool = False) -> int:
    """Queue one tiny render of each of these options, before all that waits if asked. Returns how many renders."""
    return _queue(study, list(options), 1, FIRST_SEED + 1, next_up=next_up)


def _planned(study: Study) -> list[Option]:
    rows = study.options.filter(in_plan=True, left_out="", purpose=Purpose.COUNTED)
    return list(rows.select_related("setup__scene").order_by("number", "pk"))


def _queue(study: Study, options: list[Option], repeats: int, first_seed: int, *, next_up: bool = False) -> int:
    must_be_ours(study)
    last = study.runs.aggregate(last=Max("position"))["last"]
    position = 0 if last is None else last + 1
    known = {(run.option_id, run.seed): run for run in study.runs.filter(option__in=options, warm_up=False)}
    places = {option.pk: place for place, option in enumerate(options)}
    plan = render_order(
        [PlanOption(option.warms(), places.get(option.comes_with_id or 0)) for option in options], repeats, first_seed
    )
    counted = [row for row in plan if not row.warm_up]
    lacking = [row for row in counted if _lacks(known, options[row.option], row.seed)]
    # what another brings is made by rendering that one again
    brought = defaultdict(list)
    for option in options:
        brought[option.comes_with_id].append(option)
    own = set(lacking)
    again = {
        row for row in counted if row not in own
        and any(_lacks(known, each, row.seed) for each in brought[options[row.option].pk])
        and known[options[row.option].pk, row.seed].state not in OPEN_STATES
    }  # fmt: skip
    warm = warmed_lately()
    needed = {options[row.option].warms() for row in [*lacking, *again]} - {key for key, _ in warm}
    warm_ups = [row for row in plan if row.warm_up and options[row.option].warms() in needed]
    rows = [*warm_ups, *lacking, *(row for row in counted if row in again)]
    order = _end_of_queue() if not next_up else _front_of_queue() - len(rows)
    queued = 0
    for row in rows:
        defaults = {"study": study, "position": position + queued, "queued_order": order + queued}
        run, made = Run.objects.get_or_create(
            option=options[row.option], seed=row.seed, warm_up=row.warm_up, for_machine="", defaults=defaults
        )
        states = ENDED_STATES if row.warm_up or row in again else BAD_STATES
        queued += made or _requeued(run, states, order + queued)
    ring_after_commit(RUNS)
    return queued


def _lacks(known: Mapping[tuple[int, int], Run], option: Option, seed: int) -> bool:
    run = known.get((option.pk, seed))
    return run is None or run.state in BAD_STATES


def warmed_lately() -> set[tuple[str, str]]:
    """What has ended within the last hour, on which machine: it needs no warm-up there. A failed warm-up counts too,
    so that a broken engine is not warmed up for ever."""
    rows = Run.objects.filter(
        ended_at__gt=timezone.now() - WARM_FOR, state__in=ENDED_STATES, made_by=None, study__from_elsewhere=False
    ).exclude(machine_name="")
    names = ("option__engine", "option__build", "option__setup__scene__name", "option__setup__scene__revision")
    return {(warm_key(*row[:4]), row[4]) for row in rows.values_list(*names, "machine_name").distinct()}


@transaction.atomic
def add_warm_up(run_id: int, machine: str) -> None:
    """A warm-up for one machine, to be rendered before a run of the same engine and scene."""
    run = Run.objects.select_related("study", "option").get(pk=run_id)
    warm_up, made = Run.objects.get_or_create(
        option=run.option, seed=WARM_UP_SEED, warm_up=True, for_machine=machine,
        defaults={"study": run.study, "position": run.position, "queued_order": run.queued_order - 0.5},
    )  # fmt: skip
    if not made:
        _requeued(warm_up, ENDED_STATES, run.queued_order - 0.5)


@transaction.atomic
def run_again(run: Run) -> None:
    """Queue one ended run again; one that another wrote on the way is made again with that one.

    Raises `InputError` while it is queued or running, or when it was made elsewhere.
    """
    run = run.made_by or run
    must_be_ours(run.study)
    order = _end_of_queue()
    if not _requeued(run, ENDED_STATES, order):
        raise InputError("this run is still queued or running; stop it first")


@transaction.atomic
def run_bad_again(study: Study) -> int:
    """Queue again what failed, was stopped, or came out with something found on its picture. Returns how many."""
    must_be_ours(study)
    order = _end_of_queue()
    count = 0
    for run in study.runs.filter(BAD, state__in=ENDED_STATES, warm_up=False).select_related("made_by"):
        count += _requeued(run.made_by or run, ENDED_STATES, order + count)
    return count


def stop_runs(runs: QuerySet[Run]) -> int:
    """Stop these runs: queued ones at once, a running one as soon as the runner sees it. Returns how many."""
    waiting = runs.filter(state=RunState.QUEUED).update(
        state=RunState.STOPPED, reason="Stopped by hand before it began.", ended_at=timezone.now()
    )
    stopped = waiting + runs.filter(state=RunState.RUNNING).update(stop_asked=True)
    ring_after_commit(RUNS)
    return stopped


def move_up(run: Run, *, to_front: bool) -> None:
    """Make a queued run one place earlier, or the next. Raises `InputError` when it does not wait any more."""
    waiting = Run.objects.filter(state=RunState.QUEUED)
    if run.state != RunState.QUEUED:
        raise InputError("this run does not wait in the queue any more")
    if to_front:
        first = waiting.aggregate(first=Min("queued_order"))["first"]
        waiting.filter(pk=run.pk).update(queued_order=first - 1)
        return
    before = list(
        waiting.filter(queued_order__lt=run.queued_order)
        .order_by("-queued_order")
        .values_list("queued_order", flat=True)[:2]
    )
    if before:
        place = (before[0] + before[1]) / 2 if len(before) > 1 else before[0] - 1
        waiting.filter(pk=run.pk).update(queued_order=place)


def pause(on: bool) -> None:
    """Start no further render, or go on; the one under way goes on to its end. Going on also lifts a hold."""
    Queue.now()
    Queue.objects.update(paused_at=timezone.now() if on else None, **({} if on else {"held": ""}))
    ring_after_commit(RUNS)


def hold(reason: str) -> None:
    """Stop the queue until somebody lets it go on."""
    Queue.now()
    Queue.objects.update(held=reason)
    ring_after_commit(RUNS)


@transaction.atomic
def remove_study(study: Study, on: bool) -> None:
    """Remove a study and take its renders out of the queue, or bring it back; what was stopped can be run again."""
    if on:
        stop_runs(Run.objects.filter(study=study))
    remove(study, on)


def claim(run_id: int, machine: str) -> bool:
    """Take a queued run for rendering; False when it was stopped meanwhile."""
    now = {"state": RunState.RUNNING, "started_at": timezone.now(), "share_done": None, "machine_name": machine}
    queued = Run.objects.filter(pk=run_id, state=RunState.QUEUED, stop_asked=False)
    claimed = bool(queued.update(**now, attempt=F("attempt") + 1))
    ring_after_commit(RUNS)
    return claimed


def requeue(run_id: int) -> None:
    """Put back a run whose runner was killed."""
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(**CLEARED, state=RunState.QUEUED)
    ring_after_commit(RUNS)


def mark_stopped(run_id: int) -> None:
    """A run that nobody renders and that is not to be rendered."""
    Run.objects.filter(pk=run_id, state__in=OPEN_STATES).update(
        state=RunState.STOPPED, reason="Stopped by hand.", ended_at=timezone.now()
    )
    ring_after_commit(RUNS)


def mark_failed(run_id: int, reason: str, **known: Any) -> None:
    """A run that could not be started or whose result is lost."""
    Run.objects.filter(pk=run_id, state__in=OPEN_STATES).update(
        state=RunState.FAILED, reason=reason, ended_at=timezone.now(), **known
    )
    ring_after_commit(RUNS)


def note_progress(run_id: int, progress: Progress, reached: float | None = None) -> None:
    """Write how far a running run is; `reached` is the quality knob of its latest picture on the way."""
    Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(
        share_done=progress.share, elapsed_seconds=progress.elapsed_seconds, ready_seconds=progress.ready_seconds,
        reached=reached,
    )  # fmt: skip
    ring_after_commit(PROGRESS)


def must_be_ours(study: Study) -> None:
    """Raises `InputError` for renders that were made elsewhere."""
    if study.from_elsewhere:
        raise InputError("these renders were made elsewhere; they cannot be rendered again here")


def _front_of_queue() -> float:
    first = Run.objects.filter(state=RunState.QUEUED).aggregate(first=Min("queued_order"))["first"]
    return _end_of_queue() if first is None else first


def _end_of_queue() -> float:
    return (Run.objects.aggregate(last=Max("queued_order"))["last"] or 0) + 1


def _requeued(run: Run, states: Sequence[str], order: float) -> int:
    """Clear a run that is in one of these states and queue it; 0 when it is in none of them."""
    again = Run.objects.filter(pk=run.pk, state__in=states)
    queued = again.update(**CLEARED, state=RunState.QUEUED, queued_order=order)
    ring_after_commit(RUNS)
    return queued
