"""What people can do to a pair: give verdicts, put pins, keep the list of criteria; each with its way back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db import transaction
from django.utils import timezone
from matchedpair.errors import InputError
from matchedpair.judging.criteria import CRITERIA, MOST_CRITERIA

from server.pairs.pair import pair_figures
from server.studies.models import Pair
from server.verdicts.models import Criterion, Pin, Verdict


def give_verdict(
    pair: Pair, *, chosen: str, reasons: str, author: str, marks: Mapping[str, str] | None = None,
    less_than_fair: str = "",
) -> Verdict:  # fmt: skip
    """Record a verdict with the sentence it rests on.

    Raises `InputError` while a side has no finished render, and for a mark by what is no criterion.
    """
    figures = pair_figures(pair)
    if not figures.control.runs or not figures.trial.runs:
        raise InputError("both sides need a finished render before a verdict can be given")
    unknown = sorted(set(marks or {}) - set(criteria_now()))
    if unknown:
        raise InputError(f"there is no criterion {unknown[0]!r}; there are {', '.join(criteria_now())}")
    return Verdict.objects.create(
        pair=pair, chosen=chosen, reasons=reasons, author=author, sentence=figures.sentence, inputs=figures.inputs,
        marks=dict(marks or {}), less_than_fair=less_than_fair,
    )  # fmt: skip


def withdraw(verdict: Verdict) -> None:
    """Take a verdict back; it is kept and can be restored."""
    Verdict.objects.filter(pk=verdict.pk, withdrawn_at=None).update(withdrawn_at=timezone.now())


def restore(verdict: Verdict) -> None:
    """Put a withdrawn verdict back."""
    Verdict.objects.filter(pk=verdict.pk).update(withdrawn_at=None)


def put_pin(pair: Pair, *, x: float, y: float, note: str, author: str) -> Pin:
    """A note at a place, in shares of the picture's width and height."""
    return Pin.objects.create(pair=pair, x=x, y=y, note=note, author=author)


def change_pin(pin: Pin, *, note: str) -> None:
    """Another text at the same place."""
    Pin.objects.filter(pk=pin.pk).update(note=note)


def remove_pin(pin: Pin, on: bool) -> None:
    """Remove a pin, or put it back."""
    Pin.objects.filter(pk=pin.pk).update(removed_at=timezone.now() if on else None)


def criteria_now() -> list[str]:
    """The studio's list of criteria; the usual one while it has none of its own."""
    return list(Criterion.objects.values_list("name", flat=True)) or list(CRITERIA)


@transaction.atomic
def keep_criteria(names: Sequence[str]) -> list[str]:
    """Make this the studio's list; marks by what is no longer on it stay with their verdicts.

    Raises `InputError` for an empty list, one too long, or a name that comes twice.
    """
    cleaned = [" ".join(name.split()) for name in names]
    if not cleaned or not all(cleaned):
        raise InputError("the list needs at least one criterion, and each a name")
    if len(cleaned) > MOST_CRITERIA:
        raise InputError(f"{len(cleaned)} criteria are more than the {MOST_CRITERIA} that a verdict takes")
    twice = [name for name in cleaned if [each.lower() for each in cleaned].count(name.lower()) > 1]
    if twice:
        raise InputError(f"{twice[0]!r} is on the list twice")
    Criterion.objects.all().delete()
    Criterion.objects.bulk_create([Criterion(name=name, position=place) for place, name in enumerate(cleaned)])
    return cleaned
