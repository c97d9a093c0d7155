"""The report, and study bundles out and in."""

from __future__ import annotations

import tempfile

from django.conf import settings
from django.http import FileResponse, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.text import slugify
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from server.pairs.pair import PairFigures, figures_of_pair
from server.sharing.pair_export import pair_csv, pair_json
from server.sharing.report import report_html
from server.sharing.study_export import write_study
from server.sharing.study_import import load_study, not_carried
from server.store.uploads import upload_on_disk, uploaded
from server.studies.models import Pair, Study

MOST_BUNDLE_BYTES = 8 * 1024 * 1024 * 1024
IN_MEMORY = 32 * 1024 * 1024


class BundleUploadSerializer(serializers.Serializer):
    """A study bundle."""

    file = serializers.FileField()


class ImportedStudySerializer(serializers.Serializer):
    """The study as it is here."""

    study = serializers.IntegerField()
    question = serializers.CharField()
    not_carried = serializers.ListField(
        child=serializers.CharField(), help_text="In words, the files of its scenes that are not in the bundle"
    )


@extend_schema(responses={(200, "text/html"): OpenApiTypes.STR})
@api_view(["GET"])
def report(request: Request, pk: int) -> HttpResponse:
    """The report of a study: one page with its own fonts and pictures, that prints well."""
    study = get_object_or_404(Study.objects.select_related("setup__scene"), pk=pk)
    response = HttpResponse(report_html(study), content_type="text/html; charset=utf-8")
    if request.query_params.get("save"):
        response["Content-Disposition"] = f'attachment; filename="{_name(study)}.html"'
    return response


@extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
@api_view(["GET"])
def bundle(request: Request, pk: int) -> FileResponse:
    """The whole study as a zip of JSON, CSV and EXR, that another installation imports and shows alike."""
    study = get_object_or_404(Study.objects.select_related("setup__scene"), pk=pk)
    return _bundle(study, f"{_name(study)}.zip")


@extend_schema(request={"multipart/form-data": BundleUploadSerializer}, responses={201: ImportedStudySerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def import_study(request: Request) -> Response:
    """Import a study bundle: all of it, or nothing."""
    upload = uploaded(request, most=MOST_BUNDLE_BYTES)
    with upload_on_disk(upload, upload.name or "") as path:
        study = load_study(path, settings.HOME)
    body = {"study": study.pk, "question": study.question, "not_carried": not_carried(study)}
    return Response(body, status=status.HTTP_201_CREATED)


def _name(study: Study) -> str:
    return slugify(study.question)[:60] or f"study-{study.pk}"


@extend_schema(responses={(200, "application/json"): OpenApiTypes.OBJECT})
@api_view(["GET"])
def export_json(request: Request, pk: int) -> HttpResponse:
    """The pair's conditions, figures and verdicts as a JSON file."""
    figures = figures_of_pair(pk)
    return _file(pair_json(figures), "application/json", f"{_pair_name(figures)}.json")


@extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
@api_view(["GET"])
def export_csv(request: Request, pk: int) -> HttpResponse:
    """The pair's runs as a CSV file, one row a run."""
    figures = figures_of_pair(pk)
    return _file(pair_csv(figures), "text/csv; charset=utf-8", f"{_pair_name(figures)}.csv")


@extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
@api_view(["GET"])
def export_zip(request: Request, pk: int) -> FileResponse:
    """The pair as a bundle: a study of its two options, that another installation imports and shows alike."""
    figures = figures_of_pair(pk)
    return _bundle(figures.pair.study, f"{_pair_name(figures)}.zip", figures.pair)


def _bundle(study: Study, name: str, only: Pair | None = None) -> FileResponse:
    file = tempfile.SpooledTemporaryFile(max_size=IN_MEMORY, dir=settings.HOME)  # noqa: SIM115 - the response closes it
    write_study(study, file, only)  # type: ignore[arg-type]  # a spooled file is one of bytes
    file.seek(0)
    return FileResponse(file, as_attachment=True, filename=name, content_type="application/zip")


def _pair_name(figures: PairFigures) -> str:
    return f"pair-{figures.pair.pk}-{slugify(figures.pair.study.question)[:50].strip('-') or 'study'}"


def _file(contents: bytes, kind: str, name: str) -> HttpResponse:
    return HttpResponse(contents, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
