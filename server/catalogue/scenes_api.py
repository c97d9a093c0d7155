"""Scenes: what there is, quick looks, and the zones drawn on their views."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from matchedpair.engines import AS_IS
from matchedpair.errors import InputError
from matchedpair.measures.drawn_zones import KINDS, SHAPES
from matchedpair.scenes import FORMATS, Scene, Stress
from matchedpair.scenes.digests import being_read
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.engines import engine_named, engines_now, missing_reason
from server.catalogue.fields import NamedSerializer
from server.catalogue.models import Look, Zone
from server.catalogue.scenes import (
    describe,
    scene_named,
    scenes_now,
    stated_scenes,
    stresses_now,
    take_look,
    take_zones,
    undescribed,
)
from server.catalogue.zones import add_zone, change_zone, copy_zone, remove_zone, restore_zone, zone_values
from server.store.kept_answers import kept_answer
from server.store.versions import must_match, version_of

FILES_SECONDS = 2.0  # by then what changed below a scene's own folder is seen


class StressSerializer(NamedSerializer):
    """Something that is hard to render."""

    about = serializers.CharField()


class VariantSerializer(NamedSerializer):
    """The scene with something changed to isolate a cause."""

    about = serializers.CharField()


class SceneQuantitySerializer(NamedSerializer):
    """A number of the scene that a study may vary."""

    unit = serializers.CharField()
    minimum = serializers.FloatField()
    maximum = serializers.FloatField()
    default = serializers.FloatField()


class LookSerializer(serializers.ModelSerializer):
    """A quick picture of a view."""

    class Meta:
        model = Look
        fields = ["view", "variant", "frame", "picture", "engine_title"]


class SceneSerializer(NamedSerializer):
    """A scene that a study can use now."""

    about = serializers.CharField()
    stresses = StressSerializer(many=True)
    views = NamedSerializer(many=True)
    variants = VariantSerializer(many=True)
    quantities = SceneQuantitySerializer(many=True)
    first_frame = serializers.IntegerField()
    last_frame = serializers.IntegerField()
    revision = serializers.CharField()
    looks = LookSerializer(many=True)
    zone_count = serializers.IntegerField()


class ScenesSerializer(serializers.Serializer):
    """Scenes, the whole list of stresses, and what is wrong with the files that cannot be used."""

    scenes = SceneSerializer(many=True)
    elsewhere = SceneSerializer(many=True, help_text="Known from renders made elsewhere: to look at, not to render")
    stresses = StressSerializer(many=True)
    formats = NamedSerializer(many=True)
    problems = serializers.ListField(child=serializers.CharField())
    reading = serializers.BooleanField(help_text="Whether files of a scene left out are read now; ask again soon")


class UndescribedSerializer(serializers.Serializer):
    """A folder or file among the scenes that none uses, and a description for it, in TOML."""

    place = serializers.CharField(max_length=255, help_text="Its name in the folder of scenes")
    kept_as = serializers.CharField(read_only=True)
    text = serializers.CharField(max_length=100_000, trim_whitespace=False)


class AskedLookSerializer(serializers.Serializer):
    """Which view to look at; without an engine, the first that this machine can call."""

    view = serializers.CharField(max_length=80)
    variant = serializers.CharField(max_length=80, default=AS_IS)
    frame = serializers.IntegerField(default=1)
    engine = serializers.CharField(max_length=40, required=False, allow_blank=True)


@extend_schema_field({"type": "array", "items": {"type": "array", "items": {"type": "number"}}})
class PointsField(serializers.JSONField):
    """Corners as [x, y] in shares of the picture."""


class ZoneSerializer(serializers.Serializer):
    """A zone: kind and shape as the core names them, corners in shares of the full picture."""

    id = serializers.IntegerField(read_only=True)
    scene = serializers.CharField(read_only=True)
    view = serializers.CharField(read_only=True)
    name = serializers.CharField(max_length=80)
    kind = serializers.ChoiceField(choices=KINDS)
    shape = serializers.ChoiceField(choices=SHAPES)
    points = PointsField()
    version = serializers.SerializerMethodField()

    def get_version(self, zone: Zone) -> str:
        """Names its values; sent back with a change, so that nobody's is overwritten unseen."""
        return version_of(zone_values(zone))


class ViewNameSerializer(serializers.Serializer):
    """The name of a view."""

    view = serializers.CharField(max_length=80)


@extend_schema(responses=ScenesSerializer)
@api_view(["GET"])
@kept_answer(seconds=FILES_SECONDS)
def scenes(request: Request) -> Response:
    """Scenes in the operator's folder."""
    stresses, wrong = stresses_now()
    found, problems = scenes_now(stresses)
    for scene in found:
        take_zones(scene)
    known = {stress.name: stress for stress in stresses}
    body = {
        "scenes": [_scene_row(scene, known) for scene in found],
        "elsewhere": [_scene_row(scene, known) for scene in stated_scenes([scene.name for scene in found])],
        "stresses": stresses,
        "formats": [{"name": name, "title": title} for name, title in FORMATS.items()],
        "problems": [*wrong, *problems],
        "reading": being_read(),
    }
    return Response(ScenesSerializer(body).data)


@extend_schema(methods=["GET"], responses=UndescribedSerializer(many=True))
@extend_schema(methods=["POST"], request=UndescribedSerializer, responses={201: SceneSerializer})
@api_view(["GET", "POST"])
def undescribed_places(request: Request) -> Response:
    """Folders and files that no scene uses, each with a proposed description; or keep one, corrected, beside it."""
    if request.method == "GET":
        return Response(UndescribedSerializer(undescribed(), many=True).data)
    form = UndescribedSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    scene = describe(form.validated_data["place"], form.validated_data["text"])
    take_zones(scene)
    known = {stress.name: stress for stress in stresses_now()[0]}
    return Response(SceneSerializer(_scene_row(scene, known)).data, status=status.HTTP_201_CREATED)


@extend_schema(request=AskedLookSerializer, responses={201: LookSerializer})
@api_view(["POST"])
def look(request: Request, name: str) -> Response:
    """Render a small picture of a view now; takes a few seconds."""
    form = AskedLookSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    asked = form.validated_data
    engine = engine_named(asked["engine"]) if asked.get("engine") else _first_engine()
    row = take_look(scene_named(name), asked["view"], asked["variant"], asked["frame"], engine)
    return Response(LookSerializer(row).data, status=status.HTTP_201_CREATED)


@extend_schema(
    parameters=[OpenApiParameter("view", str, description="Of this view only")],
    request=ZoneSerializer, responses={200: ZoneSerializer(many=True), 201: ZoneSerializer},
)  # fmt: skip
@api_view(["GET", "POST"])
def zones(request: Request, name: str) -> Response:
    """The zones of a scene; or draw one on the view that the query names."""
    view = request.query_params.get("view", "")
    if request.method == "POST":
        return Response(
            ZoneSerializer(add_zone(name, view, _zone_values(request))).data, status=status.HTTP_201_CREATED
        )
    found = Zone.objects.filter(scene=name, removed_at=None)
    return Response(ZoneSerializer(found.filter(view=view) if view else found, many=True).data)


@extend_schema(methods=["PATCH"], request=ZoneSerializer(partial=True), responses=ZoneSerializer)
@extend_schema(methods=["DELETE"], request=None, responses={204: None})
@api_view(["PATCH", "DELETE"])
def zone(request: Request, pk: int) -> Response:
    """Move, resize, rename a zone, or remove it; that can be undone."""
    if request.method == "DELETE":
        remove_zone(get_object_or_404(Zone, pk=pk, removed_at=None))
        return Response(status=status.HTTP_204_NO_CONTENT)
    values = _zone_values(request)
    with transaction.atomic():
        row = get_object_or_404(Zone, pk=pk, removed_at=None)
        must_match(request, "this zone", zone_values(row))
        changed = change_zone(row, values)
    return Response(ZoneSerializer(changed).data)


@extend_schema(request=None, responses=ZoneSerializer)
@api_view(["POST"])
def zone_restore(request: Request, pk: int) -> Response:
    """Put a removed zone back."""
    return Response(ZoneSerializer(restore_zone(get_object_or_404(Zone, pk=pk))).data)


@extend_schema(request=ViewNameSerializer, responses={201: ZoneSerializer})
@api_view(["POST"])
def zone_copy(request: Request, pk: int) -> Response:
    """The same zone on another view of the scene."""
    form = ViewNameSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    row = copy_zone(get_object_or_404(Zone, pk=pk, removed_at=None), form.validated_data["view"])
    return Response(ZoneSerializer(row).data, status=status.HTTP_201_CREATED)


def _zone_values(request: Request) -> dict[str, Any]:
    if not isinstance(request.data, dict):
        raise InputError("a zone is an object with name, kind, shape and points")
    return {key: value for key, value in request.data.items() if key in ("name", "kind", "shape", "points")}


def _first_engine() -> Any:
    good, _ = engines_now()
    usable = [definition for definition in good if not missing_reason(definition)]
    if not usable:
        raise InputError("no engine can be called on this machine")
    return usable[0]


def _scene_row(scene: Scene, known: dict[str, Stress]) -> dict[str, Any]:
    looks = Look.objects.filter(scene=scene.name, revision=scene.revision)
    return {
        **{key: getattr(scene, key) for key in (
            "name", "title", "about", "views", "variants", "quantities", "first_frame", "last_frame", "revision",
        )},
        "stresses": [
            known.get(name) or {"name": name, "title": name.replace("-", " "), "about": ""} for name in scene.stresses
        ],
        "looks": looks,
        "zone_count": Zone.objects.filter(scene=scene.name, removed_at=None).count(),
    }  # fmt: skip
