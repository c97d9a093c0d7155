"""What a plan not saved yet will cost, where nothing like it was rendered here: a few tiny renders find out.

They belong to a study that is in no list, so that a plan given up leaves nothing behind, and one like it costs nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from server.runs.actions import queue_pilot
from server.runs.models import BAD_STATES, OPEN_STATES, Queue, Run
from server.runs.planning import CostedPlan, pilot_of
from server.studies.actions import keep_option, keep_scene_setup
from server.studies.draft import OptionDraft
from server.studies.models import Purpose, Study

MOST_PILOTS = 8
LONGEST_SECONDS = 60.0
TITLE = "What plans will cost"


@dataclass(frozen=True)
class Pilot:
    """How far the tiny renders of a plan are.

    Parameters
    ----------
    renders : int
        How many options are to be tried.
    open, failed : int
        Of these under way or waiting; and ended without a time.
    reason : str
        Why the first of those failed.
    by_itself : bool
        Whether they may begin unasked: not where an engine hands its work to another machine, or waits for licences.
    held : str
        Why the queue does not go on; empty when it does.
    """

    renders: int
    open: int
    failed: int
    reason: str
    by_itself: bool
    held: str


def pilot_standing(plan: CostedPlan) -> Pilot | None:
    """How far the tiny renders of this plan are; None when its cost is known without them."""
    rows = _to_try(plan)
    if not rows:
        return None
    keys = [row.key for row in rows]
    runs = Run.objects.filter(option__study__of_drafts=True, option__key__in=keys, warm_up=False)
    states = list(runs.order_by("pk").values_list("state", "reason"))
    failed = [reason for state, reason in states if state in BAD_STATES]
    engines = {row.side.engine.name: row.side.engine for row in rows}.values()
    return Pilot(
        len(rows), sum(state in OPEN_STATES for state, _ in states), len(failed), failed[0] if failed else "",
        all(each.host == "here" and each.waiting is None for each in engines), _held(),
    )  # fmt: skip


@transaction.atomic
def begin_pilot(plan: CostedPlan) -> int:
    """Queue the tiny renders of what nothing is known of, before all that waits. Returns how many renders."""
    rows = _to_try(plan)
    if not rows:
        return 0
    return try_out(_study_of_drafts(plan), rows, next_up=True)


@transaction.atomic
def try_out(study: Study, rows: Sequence[OptionDraft], *, next_up: bool = False) -> int:
    """Queue tiny renders as options that are in no plan, before all that waits if asked. Returns how many renders."""
    options = [
        keep_option(study, row, {}, purpose=Purpose.PILOT, number=place, in_plan=False)
        for place, row in enumerate(rows)
    ]
    return queue_pilot(study, options, next_up=next_up)


def _held() -> str:
    queue = Queue.objects.first()  # a preview only asks, and writes nothing
    if queue is None:
        return ""
    return queue.held or ("The queue is paused." if queue.paused_at else "")


def _to_try(plan: CostedPlan) -> list[OptionDraft]:
    """The options that nothing is known of, each engine's first one first; no more than `MOST_PILOTS`."""
    unknown = {number for number, count in plan.renders.items() if count and plan.estimates[number] is None}
    rows = pilot_of(plan.draft, unknown)
    first = {(row.side.engine.name, row.side.build.name): row.key for row in reversed(rows)}
    return sorted(rows, key=lambda row: row.key not in first.values())[:MOST_PILOTS]


def _study_of_drafts(plan: CostedPlan) -> Study:
    """The study that holds such renders with as many threads."""
    threads = plan.draft.values["threads"]
    there = Study.objects.filter(of_drafts=True, threads=threads).first()
    if there is not None:
        return there
    return Study.objects.create(
        question=TITLE, of_drafts=True, threads=threads, repeats=1, time_limit_seconds=LONGEST_SECONDS,
        setup=keep_scene_setup(plan.draft.options[0].side),
    )  # fmt: skip
