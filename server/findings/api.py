"""Findings: the list of studies with what they say, pairs, verdicts, exports."""

from __future__ import annotations

from django.db.models import Prefetch
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.text import slugify
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from matchedpair.trials import on_off_plan
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.engines_api import BrightnessSerializer
from server.catalogue.models import Zone
from server.catalogue.zones import areas_by_view
from server.findings.actions import give_verdict, restore, withdraw
from server.findings.brightness import bring_together
from server.findings.export import pair_csv, pair_json, pair_zip
from server.findings.measuring import ZonesByView
from server.findings.models import Verdict
from server.findings.pairs import PairFindings, pair_findings, trial_subject, with_all
from server.findings.serializers import (
    AskedBrightnessSerializer,
    NewVerdictSerializer,
    OverviewSerializer,
    PairSerializer,
    VerdictSerializer,
    pair_row,
)
from server.runs.models import RunState
from server.runs.progress import study_state
from server.studies.models import Pair
from server.studies.sheets import sheet_row


@extend_schema(responses=OverviewSerializer)
@api_view(["GET"])
def overview(request: Request) -> Response:
    """All studies, newest first, with the finding of each."""
    kept = Prefetch("verdicts", Verdict.objects.filter(withdrawn_at=None))
    pairs = with_all(Pair.objects.all()).prefetch_related(kept).order_by("-study__created_at", "-study_id")
    zones = areas_by_view()
    return Response(OverviewSerializer({"studies": [_overview_row(pair, zones) for pair in pairs]}).data)


@extend_schema(responses=PairSerializer)
@api_view(["GET"])
def pair(request: Request, pk: int) -> Response:
    """One pair with all that it says."""
    findings = _findings(pk)
    row = pair_row(findings, trial_subject(findings.pair.study, findings.trial.option))
    return Response(PairSerializer(row, context={"sentence": findings.sentence}).data)


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


@extend_schema(request=NewVerdictSerializer, responses={201: VerdictSerializer})
@api_view(["POST"])
def verdicts(request: Request, pk: int) -> Response:
    """Record a verdict on a pair."""
    row = get_object_or_404(with_all(Pair.objects.all()), pk=pk)
    form = NewVerdictSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    verdict = give_verdict(row, **form.validated_data)
    return Response(VerdictSerializer(verdict).data, status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses={204: None})
@api_view(["DELETE"])
def verdict(request: Request, pk: int) -> Response:
    """Withdraw a verdict; it can be restored."""
    withdraw(get_object_or_404(Verdict, pk=pk))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=VerdictSerializer)
@api_view(["POST"])
def restore_verdict(request: Request, pk: int) -> Response:
    """Put a withdrawn verdict back."""
    row = get_object_or_404(Verdict, pk=pk)
    restore(row)
    return Response(VerdictSerializer(row).data)


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


def _overview_row(pair_: Pair, zones: ZonesByView) -> dict[str, object]:
    findings = pair_findings(pair_, zones)
    study = pair_.study
    runs = list(study.runs.all())
    pictures = [run.picture for run in runs if run.picture]
    return {
        "id": study.pk,
        "question": study.question,
        "scene": f"{study.setup.scene.title}, {study.setup.view}",
        "state": study_state(run.state for run in runs),
        "runs_done": sum(run.state == RunState.FINISHED for run in runs),
        "runs_planned": len(runs) if study.from_elsewhere else len(on_off_plan(study.repeats)),
        "sentence": findings.sentence,
        "pair": pair_.pk,
        "match_sheet": sheet_row(findings.sheet),
        "chosen": [row.chosen for row in pair_.verdicts.all()],
        "thumbnail": pictures[-1] if pictures else "",
        "created_at": study.created_at,
    }
