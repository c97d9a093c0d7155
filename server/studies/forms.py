"""What the study form holds, and studies made from such values."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from matchedpair.errors import InputError
from matchedpair.scenes import AS_IS
from rest_framework import serializers

from server.catalogue.fields import CropSerializer, ScalarField, SettingsField
from server.studies.actions import create_study
from server.studies.draft import Draft, Problems, resolve
from server.studies.models import PLAN_KIND_CHOICES, Study

MAX_SIDE = 8192
MATCH_ON = ("settings", "noise", "time", "samples")


class LevelSerializer(serializers.Serializer):
    """One level of a factor; settings tune an engine that is the level."""

    value = ScalarField()
    settings = SettingsField(required=False, allow_null=True, default=None)


class FactorSerializer(serializers.Serializer):
    """What a plan varies, and its levels besides the baseline's."""

    subject = serializers.CharField(
        max_length=60,
        help_text="A setting, or engine, version, preset, time_budget, quality, scene, view, frame, light (variant), "
        "size, quantity:NAME",
    )
    levels = LevelSerializer(many=True, max_length=200)


class SmallSerializer(serializers.Serializer):
    """How the plan is made smaller at first: a share of the size, or a part of the picture."""

    scale = serializers.FloatField(min_value=0.05, max_value=1, required=False, allow_null=True)
    crop = CropSerializer(required=False, allow_null=True)


class UntilSureSerializer(serializers.Serializer):
    """Repeat until a ratio's interval is narrower than this share of it, or the cap is reached."""

    on = serializers.ChoiceField(choices=["time", "noise"])
    width = serializers.FloatField(min_value=0.01, max_value=2)
    cap = serializers.IntegerField(min_value=2, max_value=20)


class BudgetSerializer(serializers.Serializer):
    """The most that a plan may take; it is trimmed to that by stated rules."""

    renders = serializers.IntegerField(min_value=2, max_value=100000, required=False, allow_null=True)
    minutes = serializers.FloatField(min_value=0.01, max_value=100000, required=False, allow_null=True)


class DraftSerializer(serializers.Serializer):
    """What the study form holds."""

    question = serializers.CharField(max_length=300)
    asked = serializers.CharField(max_length=40, required=False, allow_blank=True, default="")
    kind = serializers.ChoiceField(choices=PLAN_KIND_CHOICES, default="on-off")
    match_on = serializers.ChoiceField(choices=MATCH_ON, default="settings")
    scene = serializers.CharField(max_length=80)
    variant = serializers.CharField(max_length=80, default=AS_IS)
    view = serializers.CharField(max_length=80)
    frame = serializers.IntegerField(required=False)
    width = serializers.IntegerField(min_value=16, max_value=MAX_SIDE)
    height = serializers.IntegerField(min_value=16, max_value=MAX_SIDE)
    crop = CropSerializer(allow_null=True, default=None)
    quantities = serializers.DictField(child=serializers.FloatField(), default=dict)
    output_format = serializers.CharField(max_length=20, required=False, allow_blank=True)
    view_transform = serializers.CharField(max_length=200, required=False, allow_blank=True)
    engine = serializers.CharField(max_length=40)
    build = serializers.CharField(max_length=40, required=False, allow_blank=True)
    settings = SettingsField()
    factors = FactorSerializer(many=True, max_length=12)
    left_out = serializers.ListField(
        child=serializers.CharField(max_length=64), max_length=2000, default=list, help_text="Keys of options"
    )
    on_the_way = serializers.BooleanField(
        default=True, help_text="A ladder from one render, where the engine can write pictures on the way"
    )
    in_one_go = serializers.BooleanField(
        default=True, help_text="Frames that follow each other by one process, where the engine can"
    )
    small = SmallSerializer(allow_null=True, default=None)
    budget = BudgetSerializer(allow_null=True, default=None)
    passes = serializers.ListField(child=serializers.CharField(max_length=40), max_length=20, default=list)
    repeats = serializers.IntegerField(min_value=2, max_value=20, default=2)
    until_sure = UntilSureSerializer(allow_null=True, default=None)
    threads = serializers.IntegerField(min_value=1, max_value=64, default=1)
    time_limit_seconds = serializers.FloatField(min_value=1, max_value=86400, default=1800)


def draft_from(values: Mapping[str, Any]) -> tuple[Draft | None, Problems]:
    """The draft of what the form holds, or what is wrong with it by field."""
    form = DraftSerializer(data=values)
    if not form.is_valid():
        return None, {key: _texts(value) for key, value in form.errors.items()}
    return resolve(form.validated_data)


def study_from(values: Mapping[str, Any]) -> Study:
    """A study of what the form holds. Raises `InputError`, which tells what is wrong by field."""
    draft, problems = draft_from(values)
    if draft is None:
        raise InputError("; ".join(f"{field}: {' '.join(texts)}" for field, texts in problems.items()))
    return create_study(draft)


def _texts(errors: Any) -> list[str]:
    if isinstance(errors, dict):
        return [f"{key}: {text}" for key, value in errors.items() for text in _texts(value)]
    if isinstance(errors, list):
        return [text for error in errors for text in (_texts(error) if isinstance(error, dict) else [str(error)])]
    return [str(errors)]
