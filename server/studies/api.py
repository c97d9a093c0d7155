"""Studies: create, look, copy, archive, remove; and the questions they start from."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from matchedpair.plans import PLAN_KINDS, QUESTIONS, kind_named, question_named
from matchedpair.scenes import AS_IS
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.fields import SettingsField
from server.studies.actions import any_pair, archive
from server.studies.draft import baseline_of
from server.studies.forms import MAX_SIDE, DraftSerializer, FactorSerializer
from server.studies.models import PLAN_KIND_CHOICES, Option, Study
from server.studies.proposals import proposed_factors, proposed_levels
from server.studies.requests import study_with_all, switched_on
from server.studies.serializers import StudySerializer, SwitchSerializer
from server.studies.side import SideDraft


class BaselineSerializer(serializers.Serializer):
    """The control, as far as a proposal needs it."""

    scene = serializers.CharField(max_length=80)
    variant = serializers.CharField(max_length=80, default=AS_IS)
    view = serializers.CharField(max_length=80)
    frame = serializers.IntegerField(required=False)
    width = serializers.IntegerField(min_value=16, max_value=MAX_SIDE)
    height = serializers.IntegerField(min_value=16, max_value=MAX_SIDE)
    quantities = serializers.DictField(child=serializers.FloatField(), default=dict)
    engine = serializers.CharField(max_length=40)
    build = serializers.CharField(max_length=40, required=False, allow_blank=True)
    settings = SettingsField()


class AskedProposalSerializer(BaselineSerializer):
    """A question about a control."""

    asked = serializers.CharField(max_length=40)


class AskedLevelsSerializer(BaselineSerializer):
    """A factor of a plan."""

    subject = serializers.CharField(max_length=60)
    kind = serializers.ChoiceField(choices=PLAN_KIND_CHOICES)


class ProposalSerializer(serializers.Serializer):
    """Plan kind, what to match on, factors with levels, passes."""

    kind = serializers.CharField()
    match_on = serializers.CharField()
    factors = FactorSerializer(many=True)
    passes = serializers.ListField(child=serializers.CharField())


class PlanKindSerializer(serializers.Serializer):
    """A kind of plan."""

    name = serializers.CharField()
    title = serializers.CharField()
    about = serializers.CharField()
    shape = serializers.CharField()
    subjects = serializers.ListField(child=serializers.CharField())
    most_factors = serializers.IntegerField()
    most_levels = serializers.IntegerField()


class QuestionSerializer(serializers.Serializer):
    """A question and what it proposes."""

    name = serializers.CharField()
    title = serializers.CharField()
    about = serializers.CharField()
    kind = serializers.CharField()
    subjects = serializers.ListField(child=serializers.CharField())
    match_on = serializers.CharField()
    measures = serializers.ListField(child=serializers.CharField())
    holds = serializers.CharField()
    passes = serializers.ListField(child=serializers.CharField())


class QuestionsSerializer(serializers.Serializer):
    """All questions and plan kinds."""

    questions = QuestionSerializer(many=True)
    kinds = PlanKindSerializer(many=True)


class TwoOptionsSerializer(serializers.Serializer):
    """Two options of one study."""

    control = serializers.IntegerField()
    trial = serializers.IntegerField()


class PairNumberSerializer(serializers.Serializer):
    """A pair by its number."""

    pair = serializers.IntegerField()


@extend_schema(responses=QuestionsSerializer)
@api_view(["GET"])
def questions(request: Request) -> Response:
    """The questions a study starts from, and the kinds of plan."""
    body = {"questions": [vars(row) for row in QUESTIONS], "kinds": [vars(row) for row in PLAN_KINDS]}
    return Response(QuestionsSerializer(body).data)


@extend_schema(request=AskedProposalSerializer, responses=ProposalSerializer)
@api_view(["POST"])
def proposal(request: Request) -> Response:
    """What a question proposes to vary for a scene and an engine; all of it can be changed."""
    form, baseline = _asked_about(AskedProposalSerializer, request)
    kind, factors = proposed_factors(form["asked"], baseline)
    question = question_named(form["asked"])
    passes = [name for name in question.passes if name in {row.name for row in baseline.engine.passes}]
    body = {"kind": kind.name, "match_on": question.match_on, "factors": factors, "passes": passes}
    return Response(ProposalSerializer(body).data)


@extend_schema(request=AskedLevelsSerializer, responses=FactorSerializer)
@api_view(["POST"])
def levels(request: Request) -> Response:
    """Levels to begin with for one factor of a plan of this kind."""
    form, baseline = _asked_about(AskedLevelsSerializer, request)
    rows = proposed_levels(baseline, form["subject"], kind_named(form["kind"]))
    return Response(FactorSerializer({"subject": form["subject"], "levels": rows}).data)


@extend_schema(responses=StudySerializer)
@api_view(["GET"])
def study(request: Request, pk: int) -> Response:
    """One study."""
    return Response(StudySerializer(study_with_all(pk)).data)


@extend_schema(responses=DraftSerializer)
@api_view(["GET"])
def study_draft(request: Request, pk: int) -> Response:
    """What the form held when the study was planned last: to copy it, or to plan it anew."""
    row = get_object_or_404(Study, pk=pk)
    if not row.draft:
        raise serializers.ValidationError("this study was not planned here; it has no plan to change or copy")
    return Response(row.draft)


@extend_schema(request=SwitchSerializer, responses=StudySerializer)
@api_view(["POST"])
def archive_study(request: Request, pk: int) -> Response:
    """Take a study out of the list, or put it back."""
    archive(get_object_or_404(Study, pk=pk), switched_on(request))
    return Response(StudySerializer(study_with_all(pk)).data)


@extend_schema(request=TwoOptionsSerializer, responses=PairNumberSerializer)
@api_view(["POST"])
def make_pair(request: Request) -> Response:
    """The pair of any two options of one study."""
    form = TwoOptionsSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    control, trial = (get_object_or_404(Option, pk=form.validated_data[side]) for side in ("control", "trial"))
    return Response({"pair": any_pair(control, trial).pk})


def _asked_about(kind: type[BaselineSerializer], request: Request) -> tuple[dict[str, Any], SideDraft]:
    form = kind(data=request.data)
    form.is_valid(raise_exception=True)
    baseline, problems = baseline_of(form.validated_data)
    if baseline is None:
        raise serializers.ValidationError(problems)
    return form.validated_data, baseline
