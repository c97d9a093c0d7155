"""Findings: the list of studies with what they say, pairs, exports."""

from __future__ import annotations

import json

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.text import slugify
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.answers import facts_as_values
from matchedpair.measures.zones import WHOLE
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.engines_api import BrightnessSerializer
from server.catalogue.models import Zone
from server.findings.answer_serializers import answer_row
from server.findings.brightness import bring_together
from server.findings.disk import disk_use, let_go
from server.findings.export import pair_csv, pair_json, pair_zip
from server.findings.layers import ask_for_layer
from server.findings.measure_serializers import LayerSerializer, MeasureTableSerializer, layer_row
from server.findings.measure_table import kind_rows, measure_table
from server.findings.models import Verdict
from server.findings.option_facts import setup_in_words
from server.findings.overview import overview_rows
from server.findings.pairs import PairFindings, pair_findings, with_all
from server.findings.partners import mend
from server.findings.serializers import (
    AskedBrightnessSerializer,
    LetGoSerializer,
    MendedSerializer,
    MendSerializer,
    OverviewSerializer,
    PairSerializer,
    StudyFindingsSerializer,
    matched_row,
    pair_row,
    ratio_row,
)
from server.findings.settling import settle
from server.findings.studies import study_findings
from server.runs.api import CountSerializer
from server.studies.models import Option, Pair, Study
from server.studies.sheets import sheet_row


@extend_schema(parameters=[OpenApiParameter("archived", bool)], responses=OverviewSerializer)
@api_view(["GET"])
def overview(request: Request) -> Response:
    """All studies, newest first, with the finding of each; removed ones are not among them."""
    there = Study.objects.filter(removed_at=None).select_related("setup__scene")
    archived = there.exclude(archived_at=None).count()
    if request.query_params.get("archived") != "true":
        there = there.filter(archived_at=None)
    return Response(OverviewSerializer({"studies": overview_rows(list(there)), "archived": archived}).data)


@extend_schema(responses=StudyFindingsSerializer)
@api_view(["GET"])
def study_says(request: Request, pk: int) -> Response:
    """What a study says so far: one sentence, its match sheet, its pairs in short, its verdicts, its disk use."""
    study = get_object_or_404(Study, pk=pk)
    found = study_findings(study)
    body = {
        "sentence": found.sentence,
        "answer": answer_row(found.answer),
        "match_sheet": sheet_row(found.sheet) if found.sheet else None,
        "pairs": [_summary(row) for row in found.pairs],
        "verdicts": Verdict.objects.filter(pair__study=study, withdrawn_at=None),
        "disk": disk_use(study),
    }
    return Response(StudyFindingsSerializer(body).data)


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
    contents = json.dumps(facts_as_values(study_findings(study).facts), indent=1, ensure_ascii=False).encode()
    return _file(contents, "application/json", f"study-{pk}-{slugify(study.question)[:50].strip('-') or 'study'}.json")


@extend_schema(request=LetGoSerializer, responses=CountSerializer)
@api_view(["POST"])
def let_pictures_go(request: Request, pk: int) -> Response:
    """Let the pictures of warm-ups and pilots, or of runs that are no longer in the plan, go; the figures stay."""
    form = LetGoSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    return Response({"runs": let_go(get_object_or_404(Study, pk=pk), form.validated_data["what"])})


@extend_schema(responses=PairSerializer)
@api_view(["GET"])
def pair(request: Request, pk: int) -> Response:
    """One pair with all that it says."""
    findings = _findings(pk)
    return Response(
        PairSerializer(pair_row(findings), context={"sentence": findings.sentence, "inputs": findings.inputs}).data
    )


@extend_schema(request=None, responses=LayerSerializer)
@api_view(["POST"])
def option_layer(request: Request, pk: int, name: str) -> Response:
    """A map of an option's renders; asking for it has it made between renders, and asking again tells how far it is."""
    return Response(layer_row(ask_for_layer(get_object_or_404(Option, pk=pk), name)))


@extend_schema(request=None, responses=LayerSerializer)
@api_view(["POST"])
def pair_layer(request: Request, pk: int, name: str) -> Response:
    """A map of a pair, trial against control; asked for and followed in the same way."""
    return Response(layer_row(ask_for_layer(get_object_or_404(Pair, pk=pk), name)))


@extend_schema(parameters=[OpenApiParameter("zone", str)], responses=MeasureTableSerializer)
@api_view(["GET"])
def measures(request: Request, pk: int) -> Response:
    """The measure table of a study: one zone (the whole picture if none is named), or ``all`` of them."""
    study = get_object_or_404(Study, pk=pk)
    zones, rows = measure_table(study, request.query_params.get("zone") or WHOLE)
    first = next((row.reference for row in rows if row.reference), None)
    body = {
        "kinds": kind_rows(),
        "zones": zones,
        "reference": first.title if first else "",
        "rows": [
            {
                "option": row.option.pk, "title": row.option.title or row.option.side, "side": row.option.side,
                "place": setup_in_words(row.option.setup), "zone": row.zone, "pair": row.pair, "seeds": row.seeds,
                "cells": row.cells,
            }
            for row in rows
        ],
    }  # fmt: skip
    return Response(MeasureTableSerializer(body).data)


@extend_schema(request=MendSerializer, responses={201: MendedSerializer})
@api_view(["POST"])
def mend_pair(request: Request, pk: int) -> Response:
    """Queue what makes a condition held, such as the control at the trial's size; the answer names the matched pair."""
    form = MendSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    made, runs = mend(_findings(pk), form.validated_data["condition"])
    return Response({"pair": made.pk, "runs": runs}, status=status.HTTP_201_CREATED)


@extend_schema(request=AskedBrightnessSerializer, responses={201: BrightnessSerializer})
@api_view(["POST"])
def brightness(request: Request, pk: int) -> Response:
    """Compute what makes the trial's engine as bright as the control's in a zone, and use it from now on."""
    form = AskedBrightnessSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    number = form.validated_data["zone"]
    zone = get_object_or_404(Zone, pk=number, removed_at=None) if number else None
    row, _ = bring_together(_findings(pk), zone)
    return Response(BrightnessSerializer(row).data, status=status.HTTP_201_CREATED)


@extend_schema(responses={(200, "application/json"): OpenApiTypes.OBJECT})
@api_view(["GET"])
def export_json(request: Request, pk: int) -> HttpResponse:
    """The pair's conditions, figures and verdicts as a JSON file."""
    findings = _findings(pk)
    return _file(pair_json(findings), "application/json", f"{_name(findings)}.json")


@extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
@api_view(["GET"])
def export_csv(request: Request, pk: int) -> HttpResponse:
    """The pair's runs as a CSV file, one row a run."""
    findings = _findings(pk)
    return _file(pair_csv(findings), "text/csv; charset=utf-8", f"{_name(findings)}.csv")


@extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
@api_view(["GET"])
def export_zip(request: Request, pk: int) -> HttpResponse:
    """A bundle of the JSON, the CSV and all pictures as EXR."""
    findings = _findings(pk)
    return _file(pair_zip(findings), "application/zip", f"{_name(findings)}.zip")


def _findings(pk: int) -> PairFindings:
    return pair_findings(get_object_or_404(with_all(Pair.objects.all()), pk=pk))


def _name(findings: PairFindings) -> str:
    return f"pair-{findings.pair.pk}-{slugify(findings.pair.study.question)[:50].strip('-') or 'study'}"


def _file(contents: bytes, kind: str, name: str) -> HttpResponse:
    return HttpResponse(contents, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def _summary(findings: PairFindings) -> dict[str, object]:
    pair = findings.pair
    return {
        "pair": pair.pk, "control": pair.control_id, "trial": pair.trial_id, "subject": pair.subject,
        "noise_ratio": ratio_row(findings.noise_ratio), "visible_noise_ratio": ratio_row(findings.visible_ratio),
        "time_ratio": ratio_row(findings.time_ratio),
        "refused": findings.refused, "fair": findings.sheet.fair, "matched": matched_row(findings),
        "ready": bool(findings.control.runs and findings.trial.runs),
    }  # fmt: skip
