"""Scenes and engines, to look at."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema, extend_schema_field
from matchedpair.engines import EngineDefinition, Setting
from matchedpair.engines.setting import KINDS
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.engines import engines_now, missing_reason
from server.catalogue.scenes import scenes_now

SCALAR = {"oneOf": [{"type": "number"}, {"type": "string"}, {"type": "boolean"}]}


@extend_schema_field(SCALAR)
class ScalarField(serializers.Field):
    """A number, a text, or true or false."""

    def to_internal_value(self, data: Any) -> Any:
        """Only scalars pass; whether the value fits is for the engine's definition to say."""
        if data is None or not isinstance(data, int | float | str | bool) or len(str(data)) > 200:
            raise serializers.ValidationError("must be a number, a text, or true or false")
        return data

    def to_representation(self, value: Any) -> Any:
        """As it is."""
        return value


class NamedSerializer(serializers.Serializer):
    """A name for the machine and a title for people."""

    name = serializers.CharField()
    title = serializers.CharField()


class SceneSerializer(NamedSerializer):
    """A scene that a study can use now."""

    about = serializers.CharField()
    stresses = serializers.ListField(child=serializers.CharField())
    views = NamedSerializer(many=True)
    revision = serializers.CharField()


class ScenesSerializer(serializers.Serializer):
    """Scenes, and what is wrong with the files that cannot be used."""

    scenes = SceneSerializer(many=True)
    problems = serializers.ListField(child=serializers.CharField())


class SettingSerializer(NamedSerializer):
    """One setting of an engine."""

    kind = serializers.ChoiceField(choices=KINDS)
    unit = serializers.CharField()
    minimum = serializers.FloatField(allow_null=True)
    maximum = serializers.FloatField(allow_null=True)
    choices = serializers.ListField(child=serializers.CharField())
    default = ScalarField()
    about = serializers.CharField()
    affects = serializers.ListField(child=serializers.CharField())
    too_low = serializers.CharField()
    too_high = serializers.CharField()
    quality_knob = serializers.BooleanField()
    range_in_words = serializers.CharField()


class EngineSerializer(NamedSerializer):
    """An engine by its definition; `missing` says why this machine cannot call it."""

    about = serializers.CharField()
    device = serializers.CharField()
    licence = serializers.CharField()
    cost = serializers.CharField()
    missing = serializers.CharField()
    settings = SettingSerializer(many=True)


class EnginesSerializer(serializers.Serializer):
    """Engines, and what is wrong with the definitions that cannot be used."""

    engines = EngineSerializer(many=True)
    problems = serializers.ListField(child=serializers.CharField())


@extend_schema(responses=ScenesSerializer)
@api_view(["GET"])
def scenes(request: Request) -> Response:
    """Scenes in the operator's folder."""
    found, problems = scenes_now()
    rows = [
        {
            "name": scene.name, "title": scene.title, "about": scene.about, "stresses": scene.stresses,
            "views": [{"name": view.name, "title": view.title} for view in scene.views], "revision": scene.revision,
        }
        for scene in found
    ]  # fmt: skip
    return Response({"scenes": rows, "problems": problems})


@extend_schema(responses=EnginesSerializer)
@api_view(["GET"])
def engines(request: Request) -> Response:
    """Engines in the operator's folder, with their settings."""
    good, bad = engines_now()
    rows = [_engine_row(definition) for definition in good]
    return Response({"engines": rows, "problems": [str(error) for error in bad]})


def _engine_row(definition: EngineDefinition) -> dict[str, Any]:
    return {
        "name": definition.name,
        "title": definition.title,
        "about": definition.about,
        "device": definition.device,
        "licence": definition.licence,
        "cost": definition.cost,
        "missing": missing_reason(definition),
        "settings": [_setting_row(setting) for setting in definition.settings],
    }


def _setting_row(setting: Setting) -> dict[str, Any]:
    row = {name: getattr(setting, name) for name in SettingSerializer().fields if name != "range_in_words"}
    return {**row, "range_in_words": setting.range_in_words()}
