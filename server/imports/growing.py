"""Sets that grow: renders that land in a watched folder are taken in, and what comes into a set joins its study."""

from __future__ import annotations

import time
from functools import reduce
from operator import or_

from django.conf import settings
from django.db.models import Count, Max, Q
from matchedpair.elsewhere import NEEDED, plain_name
from matchedpair.errors import InputError

from server.imports.actions import allowed_folder, folder_files, take_file
from server.imports.many import join_study
from server.imports.models import LEARNED, ImportedRender, ImportSet
from server.imports.passes import NONE, Passes, pass_of
from server.imports.times_alone import times_alone
from server.studies.models import Study

RESTS_SECONDS = 2.0  # a file that has not been written for so long is whole
AT_ONCE = 20


def sets_that_grow() -> list[ImportSet]:
    """Those whose study lacks renders that came since."""
    rows = ImportSet.objects.filter(removed_at=None).exclude(grows={})
    return [row for row in rows if _state(row) != row.grows.get("joined")]


def watched_sets() -> list[ImportSet]:
    """Those into which a folder's renders are taken."""
    return list(ImportSet.objects.filter(removed_at=None).exclude(watched=""))


def grow_with(row: ImportSet, study: Study, knobs: dict[str, bool], pass_layer: str = "") -> None:
    """From now on what comes into the set joins the study, with the layer that is a pass of its renders."""
    row.grows = {"study": study.pk, "knobs": knobs, "pass_layer": pass_layer, "joined": _state(row)}
    row.save(update_fields=["grows"])


def join(pk: int) -> int:
    """Let a set's study have what came since; returns 1 when it took place."""
    row = ImportSet.objects.get(pk=pk)
    study = Study.objects.filter(pk=row.grows.get("study"), removed_at=None).first()
    state = _state(row)
    if study is None:
        row.grows = {}
    else:
        times, _ = times_alone(row, waits=True)
        knobs = row.grows.get("knobs", {})
        named = knobs if isinstance(knobs, dict) else dict.fromkeys(knobs, False)  # as it was kept before
        rows = list(row.renders.order_by("name"))
        join_study(study, rows, named, times, _passes_of_new(study, rows, row.grows.get("pass_layer", "")))
        row.grows = row.grows | {"joined": state}
    row.save(update_fields=["grows"])
    return 1


def _passes_of_new(study: Study, rows: list[ImportedRender], layer: str) -> Passes:
    there = set(study.runs.values_list("picture", flat=True))
    new = [each for each in rows if each.picture and each.picture not in there]
    try:
        return pass_of(new, layer) if layer and new else NONE
    except InputError:  # they join without
        return NONE


def look_into_folder(pk: int) -> int:
    """Take in what has come to rest in a watched folder, some at a time; returns how many. A folder that cannot be read
    now is told and looked at again later.
    """
    row = ImportSet.objects.get(pk=pk)
    try:
        names = folder_files(row.watched)
        place = allowed_folder(row.watched)
        problem = ""
    except InputError as error:
        names, problem = [], str(error)[:300]
    if problem != row.watch_problem:
        row.watch_problem = problem
        row.save(update_fields=["watch_problem"])
    there = set(row.renders.values_list("name", flat=True))
    taken = 0
    for name in names:
        path = place / name
        if plain_name(name) in there or not path.resolve().is_relative_to(settings.IMPORT_ROOT or place):
            continue
        try:
            rests = time.time() - path.stat().st_mtime >= RESTS_SECONDS
        except OSError:
            continue  # moved away meanwhile
        if rests:
            take_file(row, path, plain_name(name))
            taken += 1
        if taken == AT_ONCE:
            break
    return taken


def _state(row: ImportSet) -> list[int]:
    """How many renders and usable ones there are, the number of the last of these, and how many rows its table has."""
    good = known = row.renders.filter(problem="")  # a reference may come without all that an option needs
    for name in NEEDED:
        known = known.filter(reduce(or_, (Q(**{f"{place}__fields__has_key": name}) for place in LEARNED)))
    found = known.aggregate(count=Count("pk"), last=Max("pk"))
    return [good.count(), found["count"], found["last"] or 0, len(row.table)]
