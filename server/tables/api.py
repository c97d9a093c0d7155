"""The run table as the API gives it: a page of rows, the groups, and files of exactly what is shown."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.text import slugify
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from matchedpair.measures.zones import WHOLE
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.fields import SCALAR
from server.measuring.option_facts import setup_in_words
from server.measuring.serializers import MeasureTableSerializer
from server.runs.models import Run, RunState
from server.runs.next_step import next_steps
from server.runs.serializers import RunSerializer
from server.store.kept_answers import is_passing, kept_answer
from server.studies.models import Study
from server.tables.measure_table import kind_rows, measure_table
from server.tables.run_table import Asked, Column, as_csv, columns_of, groups_of, page_of, rows_of

MOST_ROWS = 500
MOST_OFFSET = 2**31


class AskedSerializer(serializers.Serializer):
    """Which rows of the table in which order."""

    text = serializers.CharField(max_length=200, default="", allow_blank=True)
    states = serializers.CharField(max_length=100, default="", allow_blank=True, help_text="By commas; bad is one too")
    sort = serializers.CharField(max_length=80, default="", allow_blank=True)
    group = serializers.CharField(max_length=80, default="", allow_blank=True)
    old = serializers.BooleanField(default=False)
    throwaway = serializers.BooleanField(default=True)
    columns = serializers.CharField(max_length=2000, default="", allow_blank=True, help_text="By commas; empty is all")
    offset = serializers.IntegerField(min_value=0, max_value=MOST_OFFSET, default=0)
    limit = serializers.IntegerField(min_value=1, max_value=MOST_ROWS, default=100)


class ColumnSerializer(serializers.Serializer):
    """One column of the table."""

    name = serializers.CharField()
    title = serializers.CharField()
    unit = serializers.CharField()
    number = serializers.BooleanField()


class TableRowSerializer(RunSerializer):
    """One run as a row of the table."""

    values = serializers.SerializerMethodField(
        help_text="What stands in each column, as in the files; null is not known"
    )
    in_plan = serializers.BooleanField(source="option.in_plan")
    small = serializers.BooleanField(source="option.small")
    next_steps = serializers.SerializerMethodField()

    class Meta(RunSerializer.Meta):
        fields = [*RunSerializer.Meta.fields, "values", "in_plan", "small", "next_steps"]
        read_only_fields = fields

    @extend_schema_field({"type": "object", "additionalProperties": {"nullable": True, **SCALAR}})
    def get_values(self, run: Run) -> dict[str, Any]:
        """By column, which `context` gives."""
        return {column.name: column.value(run) for column in self.context["columns"]}

    def get_next_steps(self, run: Run) -> list[str]:
        """What to check when something is wrong with it."""
        return next_steps(run) if run.checks or run.state == RunState.FAILED else []


class TableSerializer(serializers.Serializer):
    """A page of rows, how many there are in all, and the columns."""

    total = serializers.IntegerField()
    offset = serializers.IntegerField()
    columns = ColumnSerializer(many=True)
    rows = TableRowSerializer(many=True)


class SpreadSerializer(serializers.Serializer):
    """Median, range and count of a figure over a group."""

    value = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    count = serializers.IntegerField()


class GroupSerializer(serializers.Serializer):
    """Runs that share a level."""

    key = serializers.CharField(allow_blank=True)
    first = serializers.IntegerField()
    count = serializers.IntegerField()
    figures = serializers.DictField(child=SpreadSerializer())


class GroupsSerializer(serializers.Serializer):
    """All groups in order."""

    groups = GroupSerializer(many=True)


ASKED = [
    OpenApiParameter(name, kind)
    for name, kind in (
        ("text", str),
        ("states", str),
        ("sort", str),
        ("group", str),
        ("old", bool),
        ("throwaway", bool),
    )
]
PAGE = [OpenApiParameter("offset", int), OpenApiParameter("limit", int)]
FILE = [*ASKED, OpenApiParameter("columns", str)]


@extend_schema(parameters=[*ASKED, *PAGE], responses=TableSerializer)
@api_view(["GET"])
@kept_answer(lambda pk: pk)
def table(request: Request, pk: int) -> Response:
    """A page of a study's runs."""
    study, asked, form = _asked(request, pk)
    total, rows = page_of(study, asked, form["offset"], form["limit"])
    columns = columns_of(study)
    if any(run.state == RunState.RUNNING for run in rows):
        is_passing()  # how far it is changes all the time
    body = {"total": total, "offset": form["offset"], "columns": columns, "rows": rows}
    return Response(TableSerializer(body, context={"columns": columns}).data)


@extend_schema(parameters=ASKED, responses=GroupsSerializer)
@api_view(["GET"])
@kept_answer(lambda pk: pk)
def groups(request: Request, pk: int) -> Response:
    """The groups of the table, each with the spread of its figures over the repeats."""
    study, asked, _ = _asked(request, pk)
    found = groups_of(rows_of(study, asked), asked.group) if asked.group else []
    return Response(GroupsSerializer({"groups": found}).data)


@extend_schema(parameters=FILE, responses={(200, "text/csv"): OpenApiTypes.STR})
@api_view(["GET"])
def table_csv(request: Request, pk: int) -> HttpResponse:
    """Exactly the rows and columns that are shown, as CSV."""
    study, asked, form = _asked(request, pk)
    contents = as_csv(rows_of(study, asked), _columns(study, form))
    return _file(study, contents, "text/csv; charset=utf-8", "csv")


@extend_schema(parameters=FILE, responses={(200, "application/json"): OpenApiTypes.OBJECT})
@api_view(["GET"])
def table_json(request: Request, pk: int) -> HttpResponse:
    """Exactly the rows and columns that are shown, as JSON; null is not known."""
    study, asked, form = _asked(request, pk)
    columns = _columns(study, form)
    document = {
        "question": study.question,
        "columns": [{"name": row.name, "title": row.title, "unit": row.unit} for row in columns],
        "rows": [{column.name: column.value(run) for column in columns} for run in rows_of(study, asked)],
    }
    return _file(study, json.dumps(document, indent=1, ensure_ascii=False).encode(), "application/json", "json")


def _asked(request: Request, pk: int) -> tuple[Study, Asked, dict[str, Any]]:
    form = AskedSerializer(data=request.query_params)
    form.is_valid(raise_exception=True)
    values = form.validated_data
    states = [state for state in values["states"].split(",") if state]
    asked = Asked(values["text"], states, values["sort"], values["group"], values["old"], values["throwaway"])
    return get_object_or_404(Study, pk=pk), asked, values


def _columns(study: Study, form: dict[str, Any]) -> list[Column]:
    wanted = [name for name in form["columns"].split(",") if name]
    columns = columns_of(study)
    return [column for column in columns if column.name in wanted] if wanted else columns


def _file(study: Study, contents: bytes, kind: str, ending: str) -> HttpResponse:
    name = f"runs-{study.pk}-{slugify(study.question)[:50].strip('-') or 'study'}.{ending}"
    return HttpResponse(contents, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@extend_schema(parameters=[OpenApiParameter("zone", str)], responses=MeasureTableSerializer)
@api_view(["GET"])
@kept_answer(lambda pk: pk)
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
                "picture": row.picture, "cells": row.cells,
            }
            for row in rows
        ],
    }  # fmt: skip
    return Response(MeasureTableSerializer(body).data)
