"""Plans: what a draft would make and cost, a study created from it, planned anew, or tried with a tiny pilot."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from matchedpair.plans import RULES, Estimate
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.runs.actions import must_be_ours, queue_study
from server.runs.pilots import begin_pilot, pilot_standing, try_out
from server.runs.planning import CostedPlan, costed, pilot_of
from server.runs.serializers import CountSerializer
from server.store.versions import must_match
from server.studies.actions import create_study, replan
from server.studies.draft import resolve
from server.studies.forms import DraftSerializer
from server.studies.models import Side, Study
from server.studies.requests import draft_of, study_with_all
from server.studies.serializers import LevelShownSerializer, StudySerializer
from server.studies.sheets import MatchSheetSerializer, sheet_row


class EstimateSerializer(serializers.Serializer):
    """Seconds of one render with a 95 % interval, bytes of its picture, and what that rests on."""

    seconds = serializers.FloatField()
    interval = serializers.ListField(child=serializers.FloatField())
    picture_bytes = serializers.FloatField()
    basis = serializers.CharField()
    words = serializers.CharField()


class PlannedOptionSerializer(serializers.Serializer):
    """One option of a plan: how many renders it takes, what one will cost, and why it is left out."""

    key = serializers.CharField()
    number = serializers.IntegerField()
    side = serializers.ChoiceField(choices=Side.choices)
    title = serializers.CharField()
    levels = LevelShownSerializer(many=True)
    size = serializers.CharField()
    control = serializers.IntegerField(allow_null=True)
    comes_with = serializers.IntegerField(allow_null=True)
    in_one_go = serializers.BooleanField(help_text="Rendered with another as a further frame, which takes its own time")
    left_out = serializers.CharField()
    renders = serializers.IntegerField()
    estimate = EstimateSerializer(allow_null=True)


class PlanCostSerializer(serializers.Serializer):
    """The whole plan; `unknown` renders could not be estimated."""

    seconds = serializers.FloatField()
    interval = serializers.ListField(child=serializers.FloatField())
    picture_bytes = serializers.FloatField()
    unknown = serializers.IntegerField()


class PlanSerializer(serializers.Serializer):
    """A draft's plan."""

    options = PlannedOptionSerializer(many=True)
    renders = serializers.IntegerField()
    warm_ups = serializers.IntegerField()
    repeats = serializers.IntegerField()
    cost = PlanCostSerializer()
    trimmed = serializers.IntegerField(help_text="Options that the budget left out")
    fits = serializers.BooleanField(help_text="False when even the least plan is over its budget")
    rules = serializers.ListField(child=serializers.CharField())


class PilotSerializer(serializers.Serializer):
    """The tiny renders that find out what a plan will cost."""

    renders = serializers.IntegerField(help_text="Options that nothing is known of, to be tried")
    open = serializers.IntegerField(help_text="Of these under way or waiting")
    failed = serializers.IntegerField()
    reason = serializers.CharField(help_text="Why the first of those failed")
    by_itself = serializers.BooleanField(help_text="Whether they may begin unasked")
    held = serializers.CharField(help_text="Why the queue does not go on; empty when it does")


class PreviewSerializer(serializers.Serializer):
    """What a draft would make: problems by field, else the match sheet, the plan, and what may surprise."""

    problems = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))
    notes = serializers.ListField(child=serializers.CharField())
    match_sheet = MatchSheetSerializer(allow_null=True)
    plan = PlanSerializer(allow_null=True)
    pilot = PilotSerializer(allow_null=True, help_text="Null where the cost is known without")


@extend_schema(request=DraftSerializer, responses=PreviewSerializer)
@api_view(["POST"])
def preview(request: Request) -> Response:
    """Check a draft without creating anything: problems by field, match sheet, plan. 200 even when it has problems."""
    draft, problems = draft_of(request)
    if draft is None:
        return Response({"problems": problems, "notes": [], "match_sheet": None, "plan": None, "pilot": None})
    plan = costed(draft)
    sheet = plan.draft.match_sheet()
    body = {
        "problems": {}, "notes": plan.draft.notes(), "match_sheet": sheet_row(sheet) if sheet else None,
        "plan": plan_row(plan), "pilot": pilot_standing(plan),
    }  # fmt: skip
    return Response(PreviewSerializer(body).data)


@extend_schema(request=DraftSerializer, responses=CountSerializer)
@api_view(["POST"])
def pilot_of_draft(request: Request) -> Response:
    """Queue tiny renders of what nothing is known of, before all that waits, so that a draft's cost can be told."""
    return Response({"runs": begin_pilot(_usable(request))})


@extend_schema(request=DraftSerializer, responses={201: StudySerializer})
@api_view(["POST"])
def studies(request: Request) -> Response:
    """Create a study."""
    study = create_study(_usable(request).draft)
    return Response(StudySerializer(study_with_all(study.pk)).data, status=status.HTTP_201_CREATED)


@extend_schema(request=DraftSerializer, responses=StudySerializer)
@api_view(["PUT"])
def plan_anew(request: Request, pk: int) -> Response:
    """Give a study another plan; what is rendered already and still wanted stays."""
    draft = _usable(request).draft
    with transaction.atomic():
        study = get_object_or_404(Study, pk=pk)
        must_match(request, "this plan", study.draft)
        replan(study, draft)
    return Response(StudySerializer(study_with_all(pk)).data)


@extend_schema(request=None, responses=CountSerializer)
@api_view(["POST"])
def start_study(request: Request, pk: int) -> Response:
    """Queue what the study's plan still lacks, and what failed or was stopped."""
    return Response({"runs": queue_study(get_object_or_404(Study, pk=pk))})


@extend_schema(request=None, responses=CountSerializer)
@api_view(["POST"])
def pilot(request: Request, pk: int) -> Response:
    """Queue one tiny render of every option, so that the plan's cost can be told."""
    study = get_object_or_404(Study, pk=pk)
    must_be_ours(study)
    draft, problems = resolve(study.draft) if study.draft else (None, {"plan": ["this study has no plan"]})
    if draft is None:
        raise serializers.ValidationError(problems)
    return Response({"runs": try_out(study, pilot_of(draft))})


def plan_row(plan: CostedPlan) -> dict[str, Any]:
    """A costed plan as plain values."""
    draft = plan.draft
    return {
        "options": [
            {
                "key": option.key, "number": number, "side": option.role, "title": option.title,
                "levels": [vars(level) for level in option.levels], "control": option.control,
                "size": str(option.side.setup.conditions()["size"]), "comes_with": option.comes_with,
                "in_one_go": option.in_one_go, "left_out": option.left_out, "renders": plan.renders[number],
                "estimate": _estimate_row(plan.estimates[number]),
            }
            for number, option in enumerate(draft.options)
        ],
        "renders": sum(plan.renders.values()), "warm_ups": plan.warm_ups, "repeats": draft.repeats,
        "cost": vars(plan.cost), "trimmed": len(plan.trimmed.left_out) if plan.trimmed else 0,
        "fits": plan.trimmed is None or plan.trimmed.fits, "rules": RULES,
    }  # fmt: skip


def _usable(request: Request) -> CostedPlan:
    draft, problems = draft_of(request)
    if draft is None:
        raise serializers.ValidationError(problems)
    return costed(draft)


def _estimate_row(found: Estimate | None) -> dict[str, Any] | None:
    return None if found is None else {**vars(found), "words": found.words()}
