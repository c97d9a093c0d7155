"""Searches for the least settings: begin, follow, stop, go on."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from matchedpair.choose.raising import Ladder
from matchedpair.errors import InputError
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.fields import ScalarField, SettingsField
from server.searches import searching
from server.searches.models import Search, SearchState
from server.searches.proposals import proposed_ladders
from server.studies.models import Option, Study


class LadderSerializer(serializers.Serializer):
    """A setting and its levels from low to high."""

    setting = serializers.CharField(max_length=60)
    levels = serializers.ListField(child=ScalarField(), min_length=2, max_length=20)


class ProposedLadderSerializer(LadderSerializer):
    """What a search may raise, and whether it begins with it."""

    title = serializers.CharField()
    unit = serializers.CharField()
    about = serializers.CharField()
    wanted = serializers.BooleanField()


class NewSearchSerializer(serializers.Serializer):
    """From which option, what is raised in which order, and when it stops."""

    base = serializers.IntegerField(help_text="Option")
    ladders = LadderSerializer(many=True, max_length=20)
    scale = serializers.FloatField(min_value=0.05, max_value=1, default=0.5)
    most_stops = serializers.FloatField(min_value=0.001, max_value=5, default=0.02)
    most_colour = serializers.FloatField(min_value=0.01, max_value=50, default=0.5)
    most_percent = serializers.FloatField(min_value=0.01, max_value=1000, default=2.0)
    most_renders = serializers.IntegerField(min_value=2, max_value=10000, allow_null=True, default=None)


class GoOnSerializer(serializers.Serializer):
    """With a larger budget, or as it was."""

    most_renders = serializers.IntegerField(min_value=2, max_value=10000, allow_null=True, default=None)


class TraceSerializer(serializers.Serializer):
    """One decision of a search."""

    passed = serializers.IntegerField()
    setting = serializers.CharField()
    level = ScalarField()
    outcome = serializers.ChoiceField(choices=["raised", "enough", "unused", "kept", "top"])
    words = serializers.CharField()
    change = serializers.CharField()
    amount = serializers.FloatField(allow_null=True, help_text="Share of the threshold")
    pair = serializers.IntegerField(allow_null=True)


class SearchSerializer(serializers.Serializer):
    """A search with its trace and what it found so far."""

    id = serializers.IntegerField()
    state = serializers.ChoiceField(choices=SearchState.choices)
    words = serializers.CharField()
    scale = serializers.FloatField()
    renders = serializers.IntegerField(help_text="Ways of rendering so far")
    most_renders = serializers.IntegerField(allow_null=True)
    trace = TraceSerializer(many=True)
    unused = serializers.ListField(child=serializers.CharField())
    before = SettingsField()
    found = SettingsField()
    pair = serializers.IntegerField(allow_null=True)
    created_at = serializers.DateTimeField()


class SearchesSerializer(serializers.Serializer):
    """What can be searched in a study, and the searches there are."""

    base = serializers.IntegerField(help_text="Option that a search begins from")
    base_title = serializers.CharField()
    proposed = ProposedLadderSerializer(many=True)
    searches = SearchSerializer(many=True)


@extend_schema(methods=["GET"], responses=SearchesSerializer)
@extend_schema(methods=["POST"], request=NewSearchSerializer, responses={201: SearchSerializer})
@api_view(["GET", "POST"])
def searches(request: Request, pk: int) -> Response:
    """What a study's control can be searched for, and its searches; or begin one."""
    study = get_object_or_404(Study, pk=pk)
    if request.method == "POST":
        return _begin(study, request)
    base = study.options.filter(control=None, in_plan=True).order_by("number").first()
    if base is None:
        raise InputError("the study's plan has no control to begin from")
    body = {
        "base": base.pk, "base_title": base.title or "as the control",
        "proposed": [
            {
                "setting": each.setting.name, "title": each.setting.title, "unit": each.setting.unit,
                "about": each.setting.about, "levels": each.levels, "wanted": each.wanted,
            }
            for each in proposed_ladders(base)
        ],
        "searches": [_row(row) for row in searching.study_searches(study)],
    }  # fmt: skip
    return Response(SearchesSerializer(body).data)


def _begin(study: Study, request: Request) -> Response:
    form = NewSearchSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    values = form.validated_data
    base = get_object_or_404(Option.objects.select_related("setup__scene", "study"), pk=values["base"], study=study)
    ladders = [Ladder(each["setting"], tuple(each["levels"])) for each in values["ladders"]]
    made = searching.begin(
        base, ladders, scale=values["scale"], most_renders=values["most_renders"],
        thresholds=searching.Thresholds(values["most_stops"], values["most_colour"], values["most_percent"]),
    )  # fmt: skip
    return Response(SearchSerializer(_row(made)).data, status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses=SearchSerializer)
@api_view(["POST"])
def stop(request: Request, pk: int) -> Response:
    """Stop a search; what was compared stays."""
    row = _search(pk)
    searching.stop(row)
    return Response(SearchSerializer(_row(row)).data)


@extend_schema(request=GoOnSerializer, responses=SearchSerializer)
@api_view(["POST"])
def go_on(request: Request, pk: int) -> Response:
    """Go on with a search that was stopped, failed or ran out of budget."""
    form = GoOnSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    row = _search(pk)
    searching.go_on(row, form.validated_data["most_renders"])
    return Response(SearchSerializer(_row(row)).data)


def _search(pk: int) -> Search:
    return get_object_or_404(Search.objects.select_related("study", "base"), pk=pk)


def _row(row: Search) -> dict[str, Any]:
    """A search as plain values; each decision with the pair that shows it."""
    rendered = {_key(side) for each in row.compared for side in (each["lower"], each["upper"])}
    return {
        "id": row.pk, "state": row.state, "words": row.words, "scale": row.scale, "renders": len(rendered),
        "most_renders": row.most_renders, "unused": row.unused, "before": row.base.settings,
        "found": row.found or row.base.settings, "pair": row.pair_id, "created_at": row.created_at,
        "trace": [{**each, "passed": each["pass"], "pair": _pair_of(row, each)} for each in row.trace],
    }  # fmt: skip


def _pair_of(row: Search, decision: dict[str, Any]) -> int | None:
    """The latest comparison of this setting at this level."""
    name, level = decision["setting"], decision["level"]
    shown = [each["pair"] for each in row.compared
             if each["lower"].get(name) == level and each["upper"].get(name) != level]  # fmt: skip
    return shown[-1] if shown else None


def _key(settings: dict[str, Any]) -> str:
    return repr(sorted(settings.items()))
