"""Curves, effects, and searches for matched pairs."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.curves.words import crossings_in_words
from matchedpair.measures.zones import WHOLE
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.findings.measure_table import pairs_by_option
from server.findings.measuring import NOISE
from server.matching import search
from server.matching.curves import StudyCurves, study_curves
from server.matching.effects import study_effects
from server.matching.models import Matching
from server.matching.same import SameRow, same_table
from server.matching.serializers import (
    CurvesSerializer,
    EffectsSerializer,
    MatchingSerializer,
    NewMatchingSerializer,
    effects_row,
    ladder_row,
    matching_row,
    same_row,
)
from server.matching.words import sentence
from server.studies.models import Option, Study


@extend_schema(
    parameters=[OpenApiParameter("zone", str), OpenApiParameter("of", str, enum=["noise", "error"])],
    responses=CurvesSerializer,
)
@api_view(["GET"])
def curves(request: Request, pk: int) -> Response:
    """Noise (or error against the reference) against seconds: each option's ladder, its fit, and what is the same."""
    study = get_object_or_404(Study, pk=pk)
    asked = request.query_params
    found = study_curves(study, asked.get("zone") or WHOLE, asked.get("of") or NOISE)
    return Response(CurvesSerializer(curves_body(study, found)).data)


def curves_body(study: Study, found: StudyCurves) -> dict[str, object]:
    """All that curves say as plain values."""
    pairs = pairs_by_option(study)
    table: list[SameRow] = same_table(found)
    crossed = []
    for place in found.places:
        fitted = {row.title: row.curve for row in found.ladders if row.place == place and row.curve}
        where = f"{place}: " if len(found.places) > 1 else ""
        crossed += [f"{where}{words}" for words in crossings_in_words(fitted)]
    return {
        "sentence": sentence(found, table), "zone": found.zone, "of": found.of, "zones": found.zones,
        "basis": found.basis, "machine": found.machine, "note": found.note, "places": found.places,
        "curves": [ladder_row(row, pairs) for row in found.ladders], "crossings": crossed,
        "same": [same_row(row) for row in table],
    }  # fmt: skip


@extend_schema(parameters=[OpenApiParameter("zone", str)], responses=EffectsSerializer)
@api_view(["GET"])
def effects(request: Request, pk: int) -> Response:
    """Which setting matters: the effect of each factor on noise, time and look."""
    study = get_object_or_404(Study, pk=pk)
    return Response(
        EffectsSerializer(effects_row(study_effects(study, request.query_params.get("zone") or WHOLE))).data
    )


@extend_schema(methods=["GET"], responses=MatchingSerializer(many=True))
@extend_schema(methods=["POST"], request=NewMatchingSerializer, responses={201: MatchingSerializer})
@api_view(["GET", "POST"])
def matchings(request: Request, pk: int) -> Response:
    """The searches of a study, newest first; or begin one."""
    study = get_object_or_404(Study, pk=pk)
    if request.method == "GET":
        rows = search.with_figures(study.matchings.select_related("control", "trial"))
        return Response(MatchingSerializer([matching_row(*row) for row in rows], many=True).data)
    form = NewMatchingSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    values = form.validated_data
    options = {
        side: get_object_or_404(Option.objects.select_related("setup__scene"), pk=values[side], study=study)
        for side in ("control", "trial")
    }
    made = search.begin(options["control"], options["trial"], values["on"], values["zone"], values["knob"])
    return Response(_body(made), status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses=MatchingSerializer)
@api_view(["POST"])
def stop(request: Request, pk: int) -> Response:
    """Stop a search; what is rendered stays."""
    row = _row(pk)
    search.stop(row)
    return Response(_body(row))


@extend_schema(request=None, responses=MatchingSerializer)
@api_view(["POST"])
def go_on(request: Request, pk: int) -> Response:
    """Go on with a search that was stopped or failed; bad renders are made again."""
    row = _row(pk)
    search.go_on(row)
    return Response(_body(row))


def _row(pk: int) -> Matching:
    return get_object_or_404(Matching.objects.select_related("study", "control", "trial"), pk=pk)


def _body(row: Matching) -> object:
    [found] = search.with_figures(Matching.objects.filter(pk=row.pk).select_related("control", "trial"))
    return MatchingSerializer(matching_row(*found)).data
