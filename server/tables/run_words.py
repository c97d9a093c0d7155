"""Which runs of a study have these words in their row. What each says is read once and kept until the study changes, so
that a search is as quick as the typing of it.
"""

from __future__ import annotations

import json
from typing import Any

from django.db import connection
from django.db.models import Case, CharField, QuerySet, Value, When
from django.db.models.expressions import RawSQL
from django.db.models.functions import Cast, Concat

from server.runs.models import Run
from server.store.changes import changes_of
from server.store.kept import Kept
from server.studies.models import Option, Purpose, Study

KEPT_STUDIES = 4
_OF_RUNS = Concat(
    Value("seed "), Cast("seed", CharField()), Value("\n"),
    Case(When(warm_up=True, then=Value("warm-up\n")), default=Value("")),
    "state", Value("\n"), "machine_name", Value("\n"), "engine_version", Value("\n"), "reason",
    output_field=CharField(),
)  # fmt: skip
Said = tuple[dict[int, str], list[tuple[int, int, str]]]
_kept: Kept[Said] = Kept(KEPT_STUDIES)


def with_words(study: Study, runs: QuerySet[Run], text: str) -> QuerySet[Run]:
    """Of these runs of a study those in whose row every word stands somewhere, in whatever case."""
    options, rows = _kept_said(study.pk)
    left = rows
    for word in text.lower().split():
        having = {pk for pk, said in options.items() if word in said}
        left = [row for row in left if row[1] in having or word in row[2]]
    if len(left) == len(rows):
        return runs
    # one parameter, since a query takes only so many
    return runs.filter(pk__in=RawSQL("SELECT value FROM json_each(%s)", [json.dumps([pk for pk, *_ in left])]))


def messages_of(checks: list[dict[str, Any]]) -> list[str]:
    """What the checks of a picture say."""
    return [check["message"] for check in checks]


def _kept_said(study: int) -> Said:
    if connection.in_atomic_block:  # nothing is kept: what is read there may never have been
        return _said(study)
    changes = changes_of(study)
    found = _kept.found(study, changes)
    if found is None:
        found = _said(study)
        _kept.keep(study, changes, found)
    return found


def _said(study: int) -> Said:
    """What each option says, and for each run its number, its option and what it says itself."""
    options = {option.pk: _of_option(option) for option in Option.objects.filter(study=study)}
    runs = Run.objects.filter(study=study).order_by()
    checked = runs.exclude(checks=[]).values_list("pk", "checks")
    found = {pk: "\n".join(messages_of(checks)) for pk, checks in checked}
    # joined by the database, since most of it is many small values
    rows = runs.annotate(said=_OF_RUNS).values_list("pk", "option", "said")
    return options, [(pk, option, f"{said}\n{found.get(pk, '')}".lower()) for pk, option, said in rows.iterator(5000)]


def _of_option(option: Option) -> str:
    levels = (f"{level['title']} {level['shown']}" for level in option.levels)
    pilot = "pilot" if option.purpose == Purpose.PILOT else ""
    return " ".join((option.title, option.side, option.engine_title, *levels, pilot)).lower()
