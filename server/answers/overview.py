"""The list of studies with what each says, asked of the database together and not study by study."""

from __future__ import annotations

import hashlib
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import asdict
from threading import Lock
from typing import Any

from django.db import connection
from django.db.models import Count, Max, Q, Sum

from server.answers.serializers import OverviewRowSerializer
from server.answers.studies import StudyFindings, findings_of
from server.runs.models import ENDED_STATES, ENDED_WARM_UP, Run, RunState
from server.runs.progress import state_of
from server.store.changes import ALL, all_changes
from server.store.kept_answers import folders_stamp, was_passing
from server.studies.models import Option, Purpose, Study
from server.studies.sheets import sheet_row
from server.verdicts.models import Verdict

MOST_KEPT = 5000
_lock = Lock()
_kept: dict[int, tuple[Any, dict[str, Any]]] = {}


def overview_rows(studies: Sequence[Study]) -> list[dict[str, Any]]:
    """One row a study, as plain values; made anew only for those that something changed for."""
    if connection.in_atomic_block:
        return _as_values(studies)
    numbers, folders = all_changes(), folders_stamp()
    stamps = {study.pk: (numbers.get(study.pk, 0), numbers.get(ALL, 0), folders) for study in studies}
    with _lock:
        found = {pk: _kept[pk][1] for pk, stamp in stamps.items() if pk in _kept and _kept[pk][0] == stamp}
    stale = [study for study in studies if study.pk not in found]
    made = {row["id"]: row for row in _as_values(stale)} if stale else {}
    if not was_passing():
        with _lock:
            _kept.update({pk: (stamps[pk], row) for pk, row in made.items()})
            for pk in list(_kept)[: max(len(_kept) - MOST_KEPT, 0)]:
                del _kept[pk]
    return [made.get(study.pk) or found[study.pk] for study in studies]


def _as_values(studies: Sequence[Study]) -> list[dict[str, Any]]:
    return list(OverviewRowSerializer(_rows(studies), many=True).data)


def _rows(studies: Sequence[Study]) -> list[dict[str, Any]]:
    found = findings_of(studies)
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
        says = found[pk]
        rows.append({
            "id": pk, "question": study.question, "scene_title": study.setup.scene.title,
            "scene": f"{study.setup.scene.title}, {study.setup.view}",
            "asked": study.asked, "engines": engines.get(pk, []), "from_elsewhere": study.from_elsewhere,
            "state": state_of(states[pk], lacking=planned > begun.get(pk, 0)), "runs_done": finished,
            "runs_planned": planned, "sentence": says.sentence, "sure": says.answer.sure, "pair": _shown(says),
            "options": whole, "archived": study.archived_at is not None, "disk_bytes": disk.get(pk) or 0,
            "match_sheet": sheet_row(says.sheet) if says.sheet else None, "chosen": chosen[pk],
            "thumbnail": pictures.get(pk, ""), "proof": _proof(says), "created_at": study.created_at,
            "ended_at": last_ended, "next": asdict(says.answer.next) if says.answer.next else None,
        })  # fmt: skip
    return rows


def _proof(says: StudyFindings) -> str:
    """Changes with what proves the answer; empty where nothing does yet."""
    if says.answer.shown is None:
        return ""
    seeds = [len(side.runs) for row in says.pairs for side in (row.control, row.trial)]
    return hashlib.sha256(repr((says.answer.shown, says.sentence, seeds)).encode()).hexdigest()[:12]


def _shown(says: StudyFindings) -> int:
    """The pair that shows the answer, else the first there is."""
    shown = says.answer.shown.pair if says.answer.shown else 0
    return shown or (says.pairs[0].pair.pk if says.pairs else 0)
