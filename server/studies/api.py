"""Studies: try a draft, create, look."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from matchedpair.trials import AS_IS
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.fields import CropSerializer, ScalarField, SettingsField
from server.studies.actions import create_study
from server.studies.draft import Draft, resolve
from server.studies.models import Side, Study
from server.studies.sheets import MatchSheetSerializer, sheet_row

MAX_SIDE = 8192


class DraftSerializer(serializers.Serializer):
    """What the study form holds."""

    question = serializers.CharField(max_length=300)
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
    under_test = serializers.CharField(
        max_length=60, help_text="A setting, or engine, version, light (variant), preset, quantity:NAME"
    )
    trial_value = ScalarField()
    trial_settings = SettingsField(required=False, help_text="Of the trial's engine, when the engine is under test")
    passes = serializers.ListField(child=serializers.CharField(max_length=40), max_length=20, default=list)
    repeats = serializers.IntegerField(min_value=2, max_value=9, default=2)
    threads = serializers.IntegerField(min_value=1, max_value=64, default=1)
    time_limit_seconds = serializers.FloatField(min_value=1, max_value=86400, default=1800)


class PlannedRunSerializer(serializers.Serializer):
    """One render to come."""

    side = serializers.ChoiceField(choices=Side.choices)
    seed = serializers.IntegerField()
    warm_up = serializers.BooleanField()


class PreviewSerializer(serializers.Serializer):
    """What a draft would make: problems by field, else the match sheet, the plan, and what may surprise."""

    problems = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))
    notes = serializers.ListField(child=serializers.CharField())
    match_sheet = MatchSheetSerializer(allow_null=True)
    plan = PlannedRunSerializer(many=True)


class OptionSerializer(serializers.Serializer):
    """One side of the study."""

    id = serializers.IntegerField()
    side = serializers.ChoiceField(choices=Side.choices)
    engine = serializers.CharField(source="engine_title")
    build = serializers.CharField()
    settings = SettingsField()


class StudySerializer(serializers.Serializer):
    """A study as it was set up."""

    id = serializers.IntegerField()
    question = serializers.CharField()
    scene = serializers.CharField(source="setup.scene.title")
    scene_name = serializers.CharField(source="setup.scene.name")
    scene_revision = serializers.CharField(source="setup.scene.revision")
    variant = serializers.CharField(source="setup.variant")
    view = serializers.CharField(source="setup.view")
    frame = serializers.IntegerField(source="setup.frame")
    size = serializers.SerializerMethodField()
    engine = serializers.SerializerMethodField()
    passes = serializers.ListField(child=serializers.CharField())
    from_elsewhere = serializers.BooleanField()
    under_test = serializers.CharField()
    under_test_title = serializers.CharField()
    repeats = serializers.IntegerField()
    threads = serializers.IntegerField()
    time_limit_seconds = serializers.FloatField()
    created_at = serializers.DateTimeField()
    options = OptionSerializer(many=True)
    pair = serializers.SerializerMethodField()

    def get_size(self, study: Study) -> str:
        """The size in words."""
        return str(study.setup.description().conditions()["size"])

    def get_engine(self, study: Study) -> str:
        """The engine, or both."""
        return " and ".join(dict.fromkeys(option.engine_title for option in study.options.all()))

    def get_pair(self, study: Study) -> int:
        """The study's pair."""
        return study.pairs.values_list("id", flat=True).first() or 0


@extend_schema(request=DraftSerializer, responses=PreviewSerializer)
@api_view(["POST"])
def preview(request: Request) -> Response:
    """Check a draft without creating anything: problems by field, match sheet, plan. 200 even when it has problems."""
    draft, problems = _draft(request)
    sheet = sheet_row(draft.match_sheet()) if draft else None
    plan = [vars(row) for row in draft.plan()] if draft else []
    notes = draft.notes() if draft else []
    return Response({"problems": problems, "notes": notes, "match_sheet": sheet, "plan": plan})


@extend_schema(request=DraftSerializer, responses={201: StudySerializer})
@api_view(["POST"])
def studies(request: Request) -> Response:
    """Create a study."""
    draft, problems = _draft(request)
    if draft is None:
        raise serializers.ValidationError(problems)
    return Response(StudySerializer(create_study(draft)).data, status=status.HTTP_201_CREATED)


@extend_schema(responses=StudySerializer)
@api_view(["GET"])
def study(request: Request, pk: int) -> Response:
    """One study."""
    row = get_object_or_404(Study.objects.select_related("setup__scene").prefetch_related("options"), pk=pk)
    return Response(StudySerializer(row).data)


def _draft(request: Request) -> tuple[Draft | None, dict[str, list[str]]]:
    form = DraftSerializer(data=request.data)
    if not form.is_valid():
        return None, {key: _texts(value) for key, value in form.errors.items()}
    return resolve(form.validated_data)


def _texts(errors: Any) -> list[str]:
    if isinstance(errors, dict):
        return [f"{key}: {text}" for key, value in errors.items() for text in _texts(value)]
    return [str(error) for error in errors] if isinstance(errors, list) else [str(errors)]
