"""What studies and pairs say: the list of studies with the answer of each, a study's, a pair's, and its proof."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.db.models import Q
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.cache import patch_cache_control
from django.utils.text import slugify
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.answers import facts_as_values
from matchedpair.conditions import DENOISED
from matchedpair.errors import PictureError
from matchedpair.measures.kinds import ALONE
from matchedpair.measures.zones import WHOLE
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.answers.answer_serializers import answer_row
from server.answers.overview import overview_rows
from server.answers.proof_pictures import first_pictures, proof_pictures, proof_thumbnail
from server.answers.serializers import (
    AnsweredStudySerializer,
    OverviewSerializer,
    PairSerializer,
    StudyProofSerializer,
    matched_row,
    pair_row,
    ratio_row,
)
from server.answers.settling import settle
from server.answers.studies import AnsweredStudy, answered_study
from server.measuring.disk import disk_use
from server.measuring.models import Measure
from server.pairs.pair import PairFigures, figures_of_pair
from server.runs.serializers import CountSerializer
from server.store.changes import ALL
from server.store.kept_answers import kept_answer
from server.store.tiles import cut_here
from server.studies.models import Pair, Study
from server.studies.sheets import sheet_row
from server.verdicts.models import Verdict


def study_of_pair(pk: int) -> int:
    """The study that a pair belongs to; `ALL` where there is none."""
    return Pair.objects.filter(pk=pk).values_list("study", flat=True).first() or ALL


@extend_schema(parameters=[OpenApiParameter("archived", bool)], responses=OverviewSerializer)
@api_view(["GET"])
@kept_answer()
def overview(request: Request) -> Response:
    """All studies, newest first, with the answer of each; removed ones are not among them."""
    there = Study.objects.filter(removed_at=None, of_drafts=False).select_related("setup__scene")
    archived = there.exclude(archived_at=None).count()
    if request.query_params.get("archived") != "true":
        there = there.filter(archived_at=None)
    return Response({"studies": overview_rows(list(there)), "archived": archived})


@extend_schema(responses=AnsweredStudySerializer)
@api_view(["GET"])
@kept_answer(lambda pk: pk)
def study_says(request: Request, pk: int) -> Response:
    """What a study says so far: one sentence, its match sheet, its pairs in short, its verdicts, its disk use."""
    study = get_object_or_404(Study, pk=pk)
    found = answered_study(study)
    body = {
        "sentence": found.sentence,
        "answer": answer_row(found.answer),
        "match_sheet": sheet_row(found.sheet) if found.sheet else None,
        "pairs": [_summary(row) for row in found.pairs],
        "options": _options(study, found),
        "verdicts": Verdict.objects.filter(pair__study=study, withdrawn_at=None),
        "disk": disk_use(study),
    }
    return Response(AnsweredStudySerializer(body).data)


@extend_schema(responses=StudyProofSerializer)
@api_view(["GET"])
def proof(request: Request, pk: int) -> Response:
    """The pictures that show a study's answer, enlarged where it is best seen."""
    try:
        found = proof_pictures(get_object_or_404(Study.objects.select_related("setup"), pk=pk))
    except PictureError:  # let go to free the disk
        found = None
    return Response(StudyProofSerializer({"pictures": asdict(found) if found else None}).data)


@extend_schema(
    parameters=[OpenApiParameter("of", str, description="What it was asked for with; another asks again")],
    responses={(200, "image/png"): OpenApiTypes.BINARY},
)
@api_view(["GET"])
def small_proof(request: Request, pk: int) -> HttpResponse:
    """The pictures that show a study's answer, small and beside each other, as one PNG."""
    try:
        contents = proof_thumbnail(get_object_or_404(Study.objects.select_related("setup"), pk=pk))
    except PictureError:  # let go to free the disk
        contents = None
    if contents is None:
        raise Http404
    response = HttpResponse(contents, content_type="image/png")
    patch_cache_control(response, private=True, max_age=86_400)
    return response


@extend_schema(request=None, responses={201: CountSerializer})
@api_view(["POST"])
def settle_study(request: Request, pk: int) -> Response:
    """Queue the renders that would settle the answer: more seeds, or the plan itself."""
    return Response({"runs": settle(get_object_or_404(Study, pk=pk))}, status=status.HTTP_201_CREATED)


@extend_schema(responses={(200, "application/json"): OpenApiTypes.OBJECT})
@api_view(["GET"])
def export_facts(request: Request, pk: int) -> HttpResponse:
    """The figures that the answer rests on, as ``matchedpair answer`` reads them."""
    study = get_object_or_404(Study, pk=pk)
    contents = json.dumps(facts_as_values(answered_study(study).facts), indent=1, ensure_ascii=False).encode()
    return _file(contents, "application/json", f"study-{pk}-{slugify(study.question)[:50].strip('-') or 'study'}.json")


@extend_schema(responses=PairSerializer)
@api_view(["GET"])
@kept_answer(study_of_pair, also=cut_here)
def pair(request: Request, pk: int) -> Response:
    """One pair with all that it says."""
    figures = figures_of_pair(pk)
    return Response(
        PairSerializer(pair_row(figures), context={"sentence": figures.sentence, "inputs": figures.inputs}).data
    )


def _file(contents: bytes, kind: str, name: str) -> HttpResponse:
    return HttpResponse(contents, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def _options(study: Study, found: AnsweredStudy) -> list[dict[str, Any]]:
    facts = found.facts.options
    pictures = first_pictures([each.key for each in facts])
    pairs = {row.pair.trial_id: row.pair.pk for row in found.pairs}
    refused = _refused(study)
    apart = {
        row.pair.trial_id: row.comparison.noise_refused or (DENOISED if row.denoised else "")
        for row in found.pairs
        if row.comparison is not None
    }
    plain = ("name", "place", "control", "seeds", "open", "seconds", "noise", "visible_noise")
    return [
        {name: getattr(each, name) for name in plain} | {
            "id": each.key, "pair": pairs.get(each.key, 0), "picture": pictures.get(each.key, ""),
            "refused": refused.get(each.key, {}), "why_not": apart.get(each.key, ""),
            "visible_error": None if each.visible_error is None
            else {"value": each.visible_error, "interval": None, "method": "reference"},
        }
        for each in facts
    ]  # fmt: skip


def _refused(study: Study) -> dict[int, dict[str, str]]:
    """By option and figure why it is not known."""
    names = {"noise": "noise", "visible_noise": "visible_noise", "visible": "visible_error"}
    # a guess from one picture ranks nothing, so it is no figure of the table
    guessed = Q(name="noise", method="single")
    rows = Measure.objects.filter(~Q(refused="") | guessed, option__study=study, name__in=names, zone=WHOLE)
    found: dict[int, dict[str, str]] = {}
    for option, name, reason in rows.values_list("option", "name", "refused"):
        found.setdefault(option, {})[names[name]] = reason or ALONE
    return found


def _summary(figures: PairFigures) -> dict[str, object]:
    pair = figures.pair
    return {
        "pair": pair.pk, "control": pair.control_id, "trial": pair.trial_id, "subject": pair.subject,
        "noise_ratio": ratio_row(figures.noise_ratio), "visible_noise_ratio": ratio_row(figures.visible_ratio),
        "time_ratio": ratio_row(figures.time_ratio),
        "refused": figures.refused, "fair": figures.sheet.fair, "matched": matched_row(figures),
        "ready": bool(figures.control.runs and figures.trial.runs),
    }  # fmt: skip
