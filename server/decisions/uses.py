"""A study's uses: those that every study begins with, changed and added to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from django.utils.text import slugify
from matchedpair.choose import LIMITS, STARTING_USES, Use
from matchedpair.errors import InputError

from server.decisions.models import StudyUse
from server.studies.models import Study

KNOWN = {kind.name for kind in LIMITS}
MOST_USES = 12


def uses_of(study: Study) -> list[StudyUse]:
    """The study's uses, those in the database or, before anyone changed them, those that every study begins with."""
    there = {row.name: row for row in study.uses.all()}
    rows = [there.pop(use.name, None) or _starting(study, number, use) for number, use in enumerate(STARTING_USES)]
    return [row for row in [*rows, *there.values()] if row.removed_at is None]


def as_use(row: StudyUse) -> Use:
    """As the core takes it."""
    return Use(row.name, row.title, row.limits, row.weight)


def use_values(row: StudyUse) -> dict[str, Any]:
    """What people change of a use."""
    return {"limits": row.limits, "weight": row.weight, "by_hand": row.by_hand_id, "reasons": row.reasons}


@transaction.atomic
def change_use(
    study: Study, name: str, values: dict[str, Any], check: Callable[[StudyUse], None] = lambda _: None
) -> StudyUse:
    """Change a use; `check` may refuse it as it is by now.

    Raises `InputError` for a use or a limit that there is not.
    """
    row = next((row for row in uses_of(study) if row.name == name), None)
    if row is None:
        raise InputError(f"there is no use {name!r} in this study")
    check(row)
    _check(values)
    for field, value in values.items():
        setattr(row, field, value)
    row.save()
    return row


@transaction.atomic
def add_use(study: Study, title: str, values: dict[str, Any]) -> StudyUse:
    """Add a use of one's own. Raises `InputError` when there is one of that name, or too many."""
    name = slugify(title)[:40]
    if not name:
        raise InputError("give the use a name with letters in it")
    there = uses_of(study)
    if any(row.name == name for row in there):
        raise InputError(f"there is a use {title!r} already")
    if len(there) >= MOST_USES:
        raise InputError(f"a study has at most {MOST_USES} uses; remove one first")
    _check(values)
    last = study.uses.aggregate(last=Max("position"))["last"] or len(STARTING_USES)
    study.uses.filter(name=name).delete()  # one of that name that was removed
    return StudyUse.objects.create(study=study, name=name, title=title, position=last + 1, **values)


def remove_use(study: Study, name: str, *, on: bool) -> None:
    """Remove a use, or put it back. Raises `InputError`."""
    row = study.uses.filter(name=name).first() or next((row for row in uses_of(study) if row.name == name), None)
    if row is None:
        raise InputError(f"there is no use {name!r} in this study")
    row.removed_at = timezone.now() if on else None
    row.save()


def _starting(study: Study, number: int, use: Use) -> StudyUse:
    return StudyUse(
        study=study, name=use.name, title=use.title, position=number, limits=dict(use.limits), weight=use.weight
    )


def _check(values: dict[str, Any]) -> None:
    unknown = sorted(set(values.get("limits") or {}) - KNOWN)
    if unknown:
        raise InputError(f"there is no limit {', '.join(unknown)}; there are {', '.join(sorted(KNOWN))}")
