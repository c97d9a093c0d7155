"""The list of studies with what each says, asked of the database together and not study by study."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from typing import Any

from django.db import connection
from django.db.models import Count, Max, Q, Sum

from server.answers.gists import gists_of
from server.answers.serializers import OverviewRowSerializer
from server.runs.models import ENDED_STATES, ENDED_WARM_UP, Run, RunState
from server.runs.progress import state_of
from server.store.changes import ALL, all_changes
from server.store.kept import Kept
from server.store.kept_answers import folders_stamp, is_passing, was_passing
from server.studies.models import Option, Purpose, Study
from server.verdicts.models import Verdict

MOST_KEPT = 5000
MOST_SECONDS = 1.5  # of gathering what studies say, while somebody waits for the list
NOT_GATHERED = {
    "sentence": "", "sure": "nothing yet", "pair": 0, "proof": "", "match_rail": None, "next": None, "gathered": False,
}  # fmt: skip
_kept: Kept[dict[str, Any]] = Kept(MOST_KEPT)


def overview_rows(studies: Sequence[Study]) -> list[dict[str, Any]]:
    """One row a study, as plain values; made anew only for those that something changed for."""
    if connection.in_atomic_block:
        return _as_values(studies)
    numbers, folders = all_changes(), folders_stamp()
    stamps = {study.pk: (numbers.get(study.pk, 0), numbers.get(ALL, 0), folders) for study in studies}
    found = {pk: row for pk, stamp in stamps.items() if (row := _kept.found(pk, stamp)) is not None}
    stale = [study for study in studies if study.pk not in found]
    made = {row["id"]: row for row in _as_values(stale)} if stale else {}
    if not was_passing():
        for pk, row in made.items():
            _kept.keep(pk, stamps[pk], row)
    return [made.get(study.pk) or found[study.pk] for study in studies]


def _as_values(studies: Sequence[Study]) -> list[dict[str, Any]]:
    return list(OverviewRowSerializer(_rows(studies), many=True).data)


def _rows(studies: Sequence[Study]) -> list[dict[str, Any]]:
    gists = gists_of(studies, MOST_SECONDS)
    if len(gists) < len(studies):
        is_passing()
    runs = Run.objects.filter(study__in=studies).order_by()
    counted = runs.filter(option__purpose=Purpose.COUNTED)
    states: dict[int, Counter[str]] = defaultdict(Counter)
    telling = counted.exclude(ENDED_WARM_UP)
    for pk, state, count in telling.values_list("study", "state").annotate(Count("pk")):
        states[pk][state] = count
    own = counted.filter(warm_up=False, made_by=None)
    over = (
        own.filter(state__in=ENDED_STATES)
        .values_list("study")
        .annotate(finished=Count("pk", filter=Q(state=RunState.FINISHED)), last=Max("ended_at"))
    )
    ended = {pk: (finished, last) for pk, finished, last in over}
    begun = dict(own.filter(option__in_plan=True).values_list("study").annotate(Count("pk")))
    last = dict(counted.exclude(picture="").values_list("study").annotate(Max("pk")))
    pictures = dict(Run.objects.filter(pk__in=last.values()).values_list("study", "picture"))
    disk = dict(runs.values_list("study").annotate(Sum("picture_bytes")))
    options = Option.objects.filter(study__in=studies, purpose=Purpose.COUNTED, in_plan=True).order_by()
    counts = options.values_list("study").annotate(
        whole=Count("pk"), rendered=Count("pk", filter=Q(left_out="", comes_with=None))
    )
    planned_options = {pk: (whole, rendered) for pk, whole, rendered in counts}
    engines: dict[int, list[str]] = defaultdict(list)
    for pk, title in options.values_list("study", "engine_title").distinct().order_by("engine_title"):
        engines[pk].append(title)
    chosen: dict[int, list[str]] = defaultdict(list)
    for pk, verdict in Verdict.objects.filter(pair__study__in=studies, withdrawn_at=None).values_list(
        "pair__study", "chosen"
    ):
        chosen[pk].append(verdict)
    rows = []
    for study in studies:
        pk = study.pk
        whole, rendered = planned_options.get(pk, (0, 0))
        finished, last_ended = ended.get(pk, (0, None))
        planned = sum(states[pk].values()) if study.from_elsewhere else rendered * study.repeats
        rows.append({
            "id": pk, "question": study.question, "scene_title": study.setup.scene.title,
            "scene": f"{study.setup.scene.title}, {study.setup.view}",
            "asked": study.asked, "engines": engines.get(pk, []), "from_elsewhere": study.from_elsewhere,
            "state": state_of(states[pk], lacking=planned > begun.get(pk, 0)), "runs_done": finished,
            "runs_planned": planned, "options": whole, "archived": study.archived_at is not None,
            "disk_bytes": disk.get(pk) or 0,
            "chosen": chosen[pk], "thumbnail": pictures.get(pk, ""), "created_at": study.created_at,
            "ended_at": last_ended, **gists.get(pk, NOT_GATHERED),
        })  # fmt: skip
    return rows
