"""Curves, effects, and searches for matched pairs."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.curves.words import crossings_in_words
from matchedpair.measures.zones import WHOLE
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.curves.curves import StudyCurves, study_curves
from server.curves.effects import study_effects
from server.curves.same import SameRow, same_table
from server.curves.serializers import (
    CurvesSerializer,
    EffectsSerializer,
    effects_row,
    ladder_row,
    same_row,
)
from server.curves.words import sentence
from server.measuring.measuring import NOISE
from server.store.kept_answers import kept_answer
from server.studies.models import Study
from server.tables.measure_table import pairs_by_option


@extend_schema(
    parameters=[OpenApiParameter("zone", str), OpenApiParameter("of", str, enum=["noise", "error"])],
    responses=CurvesSerializer,
)
@api_view(["GET"])
@kept_answer(lambda pk: pk)
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
@kept_answer(lambda pk: pk)
def effects(request: Request, pk: int) -> Response:
    """Which setting matters: the effect of each factor on noise, time and look."""
    study = get_object_or_404(Study, pk=pk)
    return Response(
        EffectsSerializer(effects_row(study_effects(study, request.query_params.get("zone") or WHOLE))).data
    )
