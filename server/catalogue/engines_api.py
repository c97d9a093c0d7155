"""Engines: definitions, builds, settings, effects with their evidence, quantities, brightness factors."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from matchedpair.engines import EngineDefinition, Setting
from matchedpair.engines.definition import DOES
from matchedpair.engines.setting import KINDS
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.engine_tests import EngineTest, begin_test, stop_test, test_of
from server.catalogue.engines import engine_named, engines_now, factor_of, missing_reason, versions_here
from server.catalogue.fields import NamedSerializer, ScalarField, SettingsField
from server.catalogue.models import BrightnessFactor, EffectEvidence
from server.catalogue.scenes import scene_named, stresses_now
from server.catalogue.serializers import BrightnessSerializer
from server.store.kept_answers import kept_answer

CALLED_SECONDS = 5.0  # by then a program that was installed meanwhile is seen


class SettingSerializer(NamedSerializer):
    """One setting of an engine; `only_cost` when it changes time or memory and nothing in the picture."""

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
    only_cost = serializers.BooleanField()


class BuildSerializer(NamedSerializer):
    """One version of an engine on one device; `version` is what it says on this machine."""

    device = serializers.CharField()
    version = serializers.CharField()
    missing = serializers.CharField()


class PresetSerializer(NamedSerializer):
    """A named set of values; the rest is at its defaults."""

    about = serializers.CharField()
    values = SettingsField()


class EvidenceSerializer(serializers.ModelSerializer):
    """A pair or run that shows an effect."""

    class Meta:
        model = EffectEvidence
        fields = ["id", "engine", "effect", "version", "shown_by", "number", "note", "created_at"]
        read_only_fields = ["id", "created_at"]


class EffectSerializer(serializers.Serializer):
    """Whether an engine does an effect, by its definition, and what people found."""

    effect = serializers.CharField()
    does = serializers.ChoiceField(choices=DOES)
    switch_on = serializers.CharField()
    needs = SettingsField()
    limits = serializers.CharField()
    tested = serializers.CharField()


class QuantityNameSerializer(serializers.Serializer):
    """What an engine calls a quantity."""

    quantity = serializers.CharField()
    name = serializers.CharField()
    unit = serializers.CharField()
    scale = serializers.FloatField(allow_null=True)
    about = serializers.CharField()


class PassSerializer(NamedSerializer):
    """A further picture that a render can write."""

    unit = serializers.CharField()
    about = serializers.CharField()


class EngineSerializer(NamedSerializer):
    """An engine by its definition; `missing` says why this machine cannot call it."""

    about = serializers.CharField()
    licence = serializers.CharField()
    cost = serializers.CharField()
    limits = serializers.CharField()
    runs_on = serializers.CharField()
    missing = serializers.CharField()
    builds = BuildSerializer(many=True)
    settings = SettingSerializer(many=True)
    presets = PresetSerializer(many=True)
    effects = EffectSerializer(many=True)
    quantities = QuantityNameSerializer(many=True)
    passes = PassSerializer(many=True)
    brightness = BrightnessSerializer(allow_null=True)
    cannot = serializers.ListField(child=serializers.CharField())
    knob = serializers.CharField(allow_blank=True, help_text="The quality knob's name")
    time_budget = serializers.CharField(allow_blank=True, help_text="Name of the setting that ends a render by time")
    on_the_way = serializers.BooleanField(help_text="Whether one render can give the pictures of a whole ladder")
    sequences = serializers.BooleanField(help_text="Whether one process can render frame after frame")


class EffectNameSerializer(NamedSerializer):
    """An effect that some engine or scene knows."""

    about = serializers.CharField()


class EnginesSerializer(serializers.Serializer):
    """Engines, the effects any of them names, the evidence, and what is wrong with definitions that cannot be used."""

    engines = EngineSerializer(many=True)
    effects = EffectNameSerializer(many=True)
    evidence = EvidenceSerializer(many=True)
    problems = serializers.ListField(child=serializers.CharField())


@extend_schema(responses=EnginesSerializer)
@api_view(["GET"])
@kept_answer(seconds=CALLED_SECONDS)
def engines(request: Request) -> Response:
    """Engines in the operator's folder, with all that their definitions say."""
    good, bad = engines_now()
    known = {stress.name: stress for stress in stresses_now()[0]}
    named = {effect.effect for definition in good for effect in definition.effects}
    effects = [stress for name, stress in known.items() if name in named]
    effects += [
        {"name": name, "title": name.replace("-", " ").capitalize(), "about": ""}  # type: ignore[misc]
        for name in sorted(named - set(known))
    ]
    body = {
        "engines": _engine_rows(good), "effects": effects,
        "evidence": EffectEvidence.objects.filter(removed_at=None), "problems": [str(error) for error in bad],
    }  # fmt: skip
    return Response(EnginesSerializer(body).data)


@extend_schema(request=EvidenceSerializer, responses={201: EvidenceSerializer})
@api_view(["POST"])
def evidence(request: Request) -> Response:
    """Name the pair or run that shows whether an engine does an effect."""
    form = EvidenceSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    engine_named(form.validated_data["engine"])
    return Response(EvidenceSerializer(form.save()).data, status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses={204: None})
@api_view(["DELETE"])
def evidence_item(request: Request, pk: int) -> Response:
    """Take evidence away; it can be put back."""
    EffectEvidence.objects.filter(pk=get_object_or_404(EffectEvidence, pk=pk).pk).update(removed_at=timezone.now())
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=EvidenceSerializer)
@api_view(["POST"])
def evidence_restore(request: Request, pk: int) -> Response:
    """Put evidence back."""
    row = get_object_or_404(EffectEvidence, pk=pk)
    EffectEvidence.objects.filter(pk=pk).update(removed_at=None)
    return Response(EvidenceSerializer(row).data)


@extend_schema(request=None, responses={204: None})
@api_view(["DELETE"])
def brightness(request: Request, pk: int) -> Response:
    """Use a brightness factor no longer; renders that were made with it keep it."""
    row = get_object_or_404(BrightnessFactor, pk=pk)
    BrightnessFactor.objects.filter(pk=row.pk).update(withdrawn_at=timezone.now())
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=BrightnessSerializer)
@api_view(["POST"])
def brightness_restore(request: Request, pk: int) -> Response:
    """Use a withdrawn brightness factor again."""
    row = get_object_or_404(BrightnessFactor, pk=pk)
    BrightnessFactor.objects.filter(pk=row.pk).update(withdrawn_at=None)
    return Response(BrightnessSerializer(row).data)


def _engine_rows(definitions: list[EngineDefinition]) -> list[dict[str, Any]]:
    """All engines; the first time their programs are asked their versions, side by side since each takes a while."""
    with ThreadPoolExecutor(max_workers=max(len(definitions), 1)) as several:
        versions = list(several.map(versions_here, definitions))
    return [_engine_row(*each) for each in zip(definitions, versions, strict=True)]


def _engine_row(definition: EngineDefinition, versions: dict[str, str]) -> dict[str, Any]:
    plain = (
        "name",
        "title",
        "about",
        "licence",
        "cost",
        "limits",
        "runs_on",
        "presets",
        "effects",
        "quantities",
        "passes",
    )
    parts = ("variant", "frame", "crop", "quantity", "brightness", "passes", "depth")
    builds = []
    for build in definition.builds:
        missing = missing_reason(definition, build.name)
        version = versions[build.name]
        title = build.title or definition.title
        builds.append(
            {"name": build.name, "title": title, "device": build.device, "version": version, "missing": missing}
        )
    return {
        **{key: getattr(definition, key) for key in plain},
        "missing": missing_reason(definition),
        "builds": builds,
        "settings": [_setting_row(setting) for setting in definition.settings],
        "brightness": factor_of(definition.name),
        "cannot": [part for part in parts if definition.cannot(part)],
        "knob": definition.quality_knob.name if definition.quality_knob else "",
        "time_budget": definition.time_budget.name if definition.time_budget else "",
        "on_the_way": definition.writes_on_the_way,
        "sequences": definition.renders_sequences,
    }


def _setting_row(setting: Setting) -> dict[str, Any]:
    made = ("range_in_words", "only_cost")
    row = {name: getattr(setting, name) for name in SettingSerializer().fields if name not in made}
    only_cost = bool(setting.affects) and set(setting.affects) <= {"time", "memory"}
    return {**row, "range_in_words": setting.range_in_words(), "only_cost": only_cost}


class PromiseSerializer(serializers.Serializer):
    """One thing that an engine's definition promises, and whether it holds."""

    name = serializers.CharField()
    title = serializers.CharField()
    state = serializers.ChoiceField(choices=["holds", "broken", "not known"])
    found = serializers.CharField()
    cost = serializers.CharField()
    mend = serializers.CharField()


class EngineTestSerializer(serializers.Serializer):
    """A test of an engine by a few tiny renders; without one since the server started, `scene` is empty."""

    scene = serializers.CharField()
    view = serializers.CharField()
    at_work = serializers.BooleanField()
    sentence = serializers.CharField()
    promises = PromiseSerializer(many=True)


class AskedTestSerializer(serializers.Serializer):
    """With which view an engine is tested."""

    scene = serializers.CharField(max_length=80)
    view = serializers.CharField(max_length=80)
    build = serializers.CharField(max_length=40, required=False, allow_blank=True)


@extend_schema(methods=["GET"], responses=EngineTestSerializer)
@extend_schema(methods=["POST"], request=AskedTestSerializer, responses={202: EngineTestSerializer})
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["GET", "POST", "DELETE"])
def engine_test(request: Request, name: str) -> Response:
    """How an engine's test stands; POST begins one, DELETE stops it."""
    definition = engine_named(name)
    if request.method == "DELETE":
        stop_test(name)
        return Response(status=status.HTTP_204_NO_CONTENT)
    if request.method == "POST":
        form = AskedTestSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        asked = form.validated_data
        test = begin_test(definition, scene_named(asked["scene"]), asked["view"], asked.get("build", ""))
        return Response(EngineTestSerializer(test).data, status=status.HTTP_202_ACCEPTED)
    found = test_of(name) or EngineTest(name, "", "", at_work=False)
    return Response(EngineTestSerializer(found).data)
