"""Renders from elsewhere: bring in by browser or folder, say what is not known, make pairs."""

from __future__ import annotations

from collections import Counter
from typing import Any

from django.conf import settings
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from matchedpair.elsewhere import (
    FIELDS,
    NEEDED,
    NamePattern,
    called_references,
    plain_name,
    proposed_pattern,
    read_table,
)
from matchedpair.elsewhere.columns import KNOB, KNOB_DOWN, MEANINGS, SETTING, proposed
from matchedpair.elsewhere.facts import Facts
from matchedpair.elsewhere.table import columns_of
from matchedpair.errors import InputError
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.engines import engines_now
from server.catalogue.fields import ScalarField, SettingsField
from server.catalogue.models import SceneRevision
from server.imports import actions
from server.imports.many import knobs_among
from server.imports.models import ImportedRender, ImportSet
from server.imports.passes import layers_besides
from server.imports.times_alone import times_alone
from server.runs.serializers import CheckSerializer
from server.store.uploads import uploaded
from server.studies.models import Option

MOST_AT_ONCE = 50
MOST_LAYERS = 200  # to choose from


class ImportedRenderSerializer(serializers.Serializer):
    """One render from elsewhere; `problem` says why a file could not be taken."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    picture = serializers.CharField()
    encoding = serializers.CharField()
    transform = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    problem = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())
    checks = CheckSerializer(many=True)
    fields_known = SettingsField()
    settings = SettingsField()
    sources = serializers.DictField(child=serializers.CharField())
    missing = serializers.ListField(child=serializers.CharField())


class ImportSetSerializer(serializers.ModelSerializer):
    """Renders that came in together."""

    source = serializers.CharField()
    taken = serializers.IntegerField()
    refused = serializers.IntegerField()
    incomplete = serializers.IntegerField()
    thumbnail = serializers.CharField()
    grows_study = serializers.IntegerField(allow_null=True, help_text="The study that what comes later joins")

    class Meta:
        model = ImportSet
        fields = [
            "id", "title", "source", "pattern", "table_name", "transform", "created_at", "taken", "refused",
            "incomplete", "thumbnail", "watched", "watch_problem", "grows_study",
        ]  # fmt: skip


class TableColumnSerializer(serializers.Serializer):
    """A column of the table beside the renders: what it means, and what stands in it."""

    name = serializers.CharField()
    meaning = serializers.ChoiceField(choices=MEANINGS)
    stated = serializers.BooleanField(help_text="Whether people said so")
    sample = serializers.CharField(allow_blank=True)


class ImportSetDetailSerializer(ImportSetSerializer):
    """Renders that came in together, each with what is known of it."""

    renders = ImportedRenderSerializer(many=True)
    table_columns = TableColumnSerializer(many=True)
    knobs = serializers.ListField(
        child=serializers.CharField(), help_text="Settings that are said to be quality knobs, or called as such"
    )
    knobs_down = serializers.ListField(child=serializers.CharField(), help_text="Of these, less of which is better")
    layer = serializers.CharField(allow_blank=True)
    layers = serializers.ListField(child=serializers.CharField(), help_text="Those of its files, where they have any")
    times_alone = serializers.IntegerField(help_text="Rows of its table that have a time and no picture here")
    references = serializers.ListField(
        child=serializers.IntegerField(), help_text="Renders whose names say that others are judged by them"
    )

    class Meta(ImportSetSerializer.Meta):
        fields = [
            *ImportSetSerializer.Meta.fields,
            "renders",
            "table_columns",
            "knobs",
            "knobs_down",
            "layer",
            "layers",
            "times_alone",
            "references",
        ]


class LayersSerializer(serializers.Serializer):
    """Layers by name."""

    layers = serializers.ListField(child=serializers.CharField())


class AskedSetSerializer(serializers.Serializer):
    """A new set, or what changes of one."""

    title = serializers.CharField(max_length=200)
    source = serializers.ChoiceField(choices=["browser", "folder"], default="browser")
    pattern = serializers.CharField(max_length=200, allow_blank=True, default="")
    transform = serializers.CharField(max_length=200, allow_blank=True, default="")
    layer = serializers.CharField(
        max_length=200, allow_blank=True, required=False, help_text="Of each file; empty for its own picture"
    )
    columns = serializers.DictField(child=serializers.ChoiceField(choices=MEANINGS), required=False)
    watched = serializers.CharField(
        max_length=1000, allow_blank=True, required=False, help_text="A folder of the server's machine; empty for none"
    )


class FolderSerializer(serializers.Serializer):
    """A folder on the server's machine; empty for the one that may be read."""

    folder = serializers.CharField(max_length=1000, allow_blank=True)


class FolderFilesSerializer(serializers.Serializer):
    """The pictures in a folder, and the tables beside them."""

    folder = serializers.CharField()
    names = serializers.ListField(child=serializers.CharField())
    tables = serializers.ListField(child=serializers.CharField())


class FromFolderSerializer(FolderSerializer):
    """Some of a folder's pictures."""

    names = serializers.ListField(child=serializers.CharField(max_length=255), max_length=MOST_AT_ONCE)
    table = serializers.CharField(
        max_length=255, allow_blank=True, default="", help_text="A table in it, to be read first; empty for none"
    )


class TriedPatternSerializer(serializers.Serializer):
    """A pattern and names to try it on."""

    pattern = serializers.CharField(max_length=1000, allow_blank=True)
    names = serializers.ListField(child=serializers.CharField(max_length=1000), max_length=200)


class ReadNameSerializer(serializers.Serializer):
    """What a pattern makes of one name."""

    name = serializers.CharField()
    follows = serializers.BooleanField()
    fields_known = SettingsField()
    settings = SettingsField()
    problem = serializers.CharField()


class PatternPreviewSerializer(serializers.Serializer):
    """What a pattern makes of names; `problem` when the pattern itself cannot be read."""

    problem = serializers.CharField()
    proposed = serializers.CharField(
        help_text="How the names look to be made, where the pattern does not read all; empty when nobody can see it"
    )
    rows = ReadNameSerializer(many=True)
    known = serializers.ListField(child=serializers.CharField(), help_text="Names that are fields; others are settings")
    needed = serializers.ListField(child=serializers.CharField())


class FilledInSerializer(serializers.Serializer):
    """What is said by hand of some renders; empty values take back what was said."""

    renders = serializers.ListField(child=serializers.IntegerField(), max_length=10_000)
    values = serializers.DictField(child=serializers.CharField(max_length=200, allow_blank=True), default=dict)
    settings = serializers.DictField(child=ScalarField(), default=dict)
    transform = serializers.CharField(max_length=200, allow_blank=True, required=False)


@extend_schema(methods=["GET"], responses=ImportSetSerializer(many=True))
@extend_schema(methods=["POST"], request=AskedSetSerializer, responses={201: ImportSetDetailSerializer})
@api_view(["GET", "POST"])
def sets(request: Request) -> Response:
    """All sets, newest first; or begin one."""
    if request.method == "POST":
        form = AskedSetSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        if form.validated_data["pattern"]:
            NamePattern(form.validated_data["pattern"])
        asked = form.validated_data
        watched = str(actions.allowed_folder(asked["watched"])) if asked.get("watched") else ""
        return _set_response(ImportSet.objects.create(**asked | {"watched": watched}), status.HTTP_201_CREATED)
    rows = [_set_row(row) for row in ImportSet.objects.filter(removed_at=None)]
    return Response(ImportSetSerializer(rows, many=True).data)


@extend_schema(methods=["GET"], responses=ImportSetDetailSerializer)
@extend_schema(methods=["PATCH"], request=AskedSetSerializer(partial=True), responses=ImportSetDetailSerializer)
@extend_schema(methods=["DELETE"], request=None, responses={204: None})
@api_view(["GET", "PATCH", "DELETE"])
def one_set(request: Request, pk: int) -> Response:
    """One set with its renders; another title, pattern or transform; or remove it, which can be undone."""
    row = get_object_or_404(ImportSet, pk=pk, removed_at=None)
    if request.method == "DELETE":
        ImportSet.objects.filter(pk=pk).update(removed_at=timezone.now())
        return Response(status=status.HTTP_204_NO_CONTENT)
    if request.method == "PATCH":
        form = AskedSetSerializer(data=request.data, partial=True)
        form.is_valid(raise_exception=True)
        actions.change_set(row, **{key: value for key, value in form.validated_data.items() if key in request.data})
    return _set_response(row)


@extend_schema(responses=LayersSerializer)
@api_view(["GET"])
def set_layers(request: Request, pk: int) -> Response:
    """The layers that its files have besides their picture, as its first file has them."""
    row = get_object_or_404(ImportSet, pk=pk, removed_at=None)
    return Response(LayersSerializer({"layers": layers_besides(row)}).data)


@extend_schema(request=None, responses=ImportSetDetailSerializer)
@api_view(["POST"])
def restore_set(request: Request, pk: int) -> Response:
    """Put a set back."""
    ImportSet.objects.filter(pk=pk).update(removed_at=None)
    return _set_response(get_object_or_404(ImportSet, pk=pk))


@extend_schema(request={"multipart/form-data": OpenApiTypes.OBJECT}, responses={201: ImportedRenderSerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def files(request: Request, pk: int) -> Response:
    """Take one picture in, as the form's ``file``. A bad file makes a row with the reason."""
    row = actions.take_upload(get_object_or_404(ImportSet, pk=pk, removed_at=None), uploaded(request))
    return Response(ImportedRenderSerializer(_render_row(row)).data, status=status.HTTP_201_CREATED)


@extend_schema(request={"multipart/form-data": OpenApiTypes.OBJECT}, responses=ImportSetDetailSerializer)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def table(request: Request, pk: int) -> Response:
    """Take a table of settings and times beside the renders, as the form's ``file``: CSV or JSON."""
    row = get_object_or_404(ImportSet, pk=pk, removed_at=None)
    upload = uploaded(request)
    name = plain_name(upload.name or "")
    actions.change_set(row, table=read_table(upload.read(), name), table_name=name)
    return _set_response(row)


@extend_schema(request=FolderSerializer, responses=FolderFilesSerializer)
@api_view(["POST"])
def folder(request: Request) -> Response:
    """The pictures in a folder of the server's machine, and the tables beside them."""
    form = FolderSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    asked = form.validated_data["folder"]
    body = {"names": actions.folder_files(asked), "tables": actions.folder_tables(asked)}
    return Response({"folder": asked or str(settings.IMPORT_ROOT or ""), **body})


@extend_schema(request=FromFolderSerializer, responses={201: ImportedRenderSerializer(many=True)})
@api_view(["POST"])
def from_folder(request: Request, pk: int) -> Response:
    """Take some of a folder's pictures in, and what a table beside them says."""
    form = FromFolderSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    target = get_object_or_404(ImportSet, pk=pk, removed_at=None)
    if form.validated_data["table"]:
        actions.take_table_from_folder(target, form.validated_data["folder"], form.validated_data["table"])
    rows = actions.take_from_folder(target, form.validated_data["folder"], form.validated_data["names"])
    body = ImportedRenderSerializer([_render_row(row) for row in rows], many=True).data
    return Response(body, status=status.HTTP_201_CREATED)


@extend_schema(request=TriedPatternSerializer, responses=PatternPreviewSerializer)
@api_view(["POST"])
def pattern(request: Request) -> Response:
    """Try a name pattern on names, before anything is taken in; and propose one."""
    form = TriedPatternSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    names = [plain_name(each) for each in form.validated_data["names"]]
    body: dict[str, Any] = {"problem": "", "proposed": "", "rows": [], "known": FIELDS, "needed": NEEDED}
    try:
        tried = NamePattern(form.validated_data["pattern"])
    except InputError as error:
        return Response(body | {"problem": str(error), "proposed": _proposed_pattern(names)})
    for name in names:
        facts, problem = None, ""
        try:
            facts = tried.read(name)
        except InputError as error:
            problem = str(error)
        known = facts or Facts()
        body["rows"].append({
            "name": name, "follows": facts is not None, "fields_known": known.fields,
            "settings": known.settings, "problem": problem,
        })  # fmt: skip
    if not all(row["follows"] for row in body["rows"]):
        body["proposed"] = _proposed_pattern(names)
    return Response(PatternPreviewSerializer(body).data)


def _proposed_pattern(names: list[str]) -> str:
    """With the engines, scenes and views that are known here, those of earlier imports too."""
    scenes = list(SceneRevision.objects.values_list("name", "title", "views"))
    engines = [each for engine in engines_now()[0] for each in (engine.name, engine.title)]
    return proposed_pattern(
        names,
        engines=[*engines, *Option.objects.values_list("engine_title", flat=True).distinct()],
        scenes=[each for name, title, _ in scenes for each in (name, title)],
        views=[each for *_, views in scenes for view in views for each in view.values()],
    )


@extend_schema(request=FilledInSerializer, responses=ImportedRenderSerializer(many=True))
@api_view(["POST"])
def fill_in(request: Request) -> Response:
    """Say what is not known of some renders, or what their values went through."""
    form = FilledInSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    asked = form.validated_data
    rows = list(ImportedRender.objects.filter(pk__in=asked["renders"]))
    strange = [name for name in asked["values"] if name not in FIELDS]
    if strange:
        raise InputError(f"{strange[0]!r} is no field; expected some of {', '.join(FIELDS)}")
    if asked["values"] or asked["settings"]:
        actions.fill_in(rows, {**asked["values"], "settings": asked["settings"]})
    if "transform" in asked:
        actions.state_transform(rows, asked["transform"])
    return Response(ImportedRenderSerializer([_render_row(row) for row in rows], many=True).data)


def _set_response(row: ImportSet, code: int = status.HTTP_200_OK) -> Response:
    # what only the one set's own screen shows; the list of all sets has no need of it
    more = {"layer": row.layer, "layers": _layers(row), "times_alone": len(times_alone(row, waits=False)[0])}
    return Response(ImportSetDetailSerializer(_set_row(row) | more).data, status=code)


def _set_row(row: ImportSet) -> dict[str, Any]:
    renders = [_render_row(render) for render in row.renders.all()]
    good = [render for render in renders if not render["problem"]]
    called = called_references([render["name"] for render in renders])
    plain = ("id", "title", "source", "pattern", "table_name", "transform", "created_at", "watched", "watch_problem")
    return {key: getattr(row, key) for key in plain} | {
        "grows_study": row.grows.get("study"),
        "renders": renders, "taken": len(good), "refused": len(renders) - len(good),
        "incomplete": sum(bool(render["missing"]) for render in good if render["name"] not in called),
        "references": [render["id"] for render in good if render["name"] in called],
        "table_columns": _columns(row), "knobs": _knobs(row, good), "knobs_down": _stated(row, KNOB_DOWN),
        "thumbnail": good[0]["picture"] if good else "",
    }  # fmt: skip


def _knobs(row: ImportSet, good: list[dict[str, Any]]) -> list[str]:
    """The columns that are said to be quality knobs, else the settings that are called as such are."""
    stated = [*_stated(row, KNOB), *_stated(row, KNOB_DOWN)]
    called = knobs_among(render["settings"] for render in good)
    return stated or [name for name in called if row.columns.get(name) != SETTING]


def _stated(row: ImportSet, meaning: str) -> list[str]:
    return [name for name, meant in row.columns.items() if meant == meaning]


def _layers(row: ImportSet) -> list[str]:
    """The layers of its files, the most common first; none where every file is one picture."""
    many = Counter(layer for layers in row.renders.values_list("layers", flat=True) for layer in layers if layer)
    return [layer for layer, _ in many.most_common(MOST_LAYERS)]


def _columns(row: ImportSet) -> list[dict[str, Any]]:
    names = columns_of(row.table)
    meanings = {**proposed(names), **row.columns}
    samples = {
        name: next((str(each[name])[:60] for each in row.table.values() if each.get(name) not in ("", None)), "")
        for name in names
    }
    return [
        {"name": name, "meaning": meanings[name], "stated": name in row.columns, "sample": samples[name]}
        for name in names
    ]


def _render_row(row: ImportedRender) -> dict[str, Any]:
    facts = row.facts()
    plain = ("id", "name", "picture", "encoding", "transform", "width", "height", "problem", "notes", "checks")
    return {key: getattr(row, key) for key in plain} | {
        "fields_known": facts.fields, "settings": facts.settings, "sources": facts.sources, "missing": row.missing(),
    }  # fmt: skip
