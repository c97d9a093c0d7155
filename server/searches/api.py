"""Searches for the least settings: begin, follow, stop, go on."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from matchedpair.errors import InputError
from matchedpair.measures.drawn_zones import MEASURE
from matchedpair.search.raising import Ladder
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.fields import ScalarField, SettingsField
from server.catalogue.scenes import scene_named
from server.catalogue.zones import zones_of
from server.searches import searching
from server.searches.changes import Thresholds
from server.searches.models import Search, SearchState, Way
from server.searches.proposals import proposed_ladders
from server.searches.search_rows import search_row
from server.studies.models import AS_CONTROL, Option, Study


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
    zone = serializers.CharField(
        max_length=80, allow_blank=True, default="", help_text="Rendered alone; the whole picture when empty"
    )
    most_stops = serializers.FloatField(min_value=0.001, max_value=5, default=0.02)
    most_colour = serializers.FloatField(min_value=0.01, max_value=50, default=0.5)
    most_percent = serializers.FloatField(min_value=0.01, max_value=1000, default=2.0)
    most_detail = serializers.FloatField(
        min_value=0.1, max_value=100, allow_null=True, default=5.0, help_text="Percent of an octave's detail"
    )
    way = serializers.ChoiceField(choices=Way.choices, default=Way.RAISE)
    frames = serializers.ListField(
        child=serializers.IntegerField(), max_length=100, default=list, help_text="The present one when empty"
    )
    more_levels = serializers.IntegerField(min_value=0, max_value=5, default=0, help_text="Safety of frame ranges")
    most_renders = serializers.IntegerField(min_value=2, max_value=10000, allow_null=True, default=None)
    most_minutes = serializers.FloatField(min_value=0.01, max_value=100_000, allow_null=True, default=None)


class GoOnSerializer(serializers.Serializer):
    """With a larger budget, or without one."""

    most_renders = serializers.IntegerField(min_value=2, max_value=10000, allow_null=True, default=None)
    most_minutes = serializers.FloatField(min_value=0.01, max_value=100_000, allow_null=True, default=None)


class TraceSerializer(serializers.Serializer):
    """One decision of a search."""

    frame = serializers.IntegerField()
    passed = serializers.IntegerField()
    setting = serializers.CharField()
    level = ScalarField()
    outcome = serializers.ChoiceField(choices=["raised", "enough", "unused", "kept", "top"])
    words = serializers.CharField()
    change = serializers.CharField()
    amount = serializers.FloatField(allow_null=True, help_text="Share of the threshold")
    pair = serializers.IntegerField(allow_null=True)


class WaySerializer(serializers.Serializer):
    """One combination that exploring tried."""

    frame = serializers.IntegerField()
    settings = SettingsField(help_text="Those that are explored")
    seconds = serializers.FloatField(allow_null=True)
    evened_seconds = serializers.FloatField(allow_null=True, help_text="Never less than with lower settings")
    amount = serializers.FloatField(allow_null=True, help_text="Share of the threshold")
    change = serializers.CharField()
    on_frontier = serializers.BooleanField()
    pair = serializers.IntegerField(allow_null=True)


class FrameRangeSerializer(serializers.Serializer):
    """Frames with the same settings; of these those that a search raised."""

    first = serializers.IntegerField()
    last = serializers.IntegerField()
    settings = SettingsField()


class FrameResultSerializer(serializers.Serializer):
    """What was found at a frame, and the pair at full size that shows it."""

    frame = serializers.IntegerField()
    settings = SettingsField()
    pair = serializers.IntegerField(allow_null=True)


class JoinedSerializer(serializers.Serializer):
    """The result along the frames, and what constant settings waste."""

    ranges = FrameRangeSerializer(many=True)
    constant = SettingsField()
    by_range_seconds = serializers.FloatField(allow_null=True)
    constant_seconds = serializers.FloatField(allow_null=True)
    wasted_share = serializers.FloatField(allow_null=True, help_text="Null where times tell none")


class SearchSerializer(serializers.Serializer):
    """A search with its trace and what it found so far."""

    id = serializers.IntegerField()
    way = serializers.ChoiceField(choices=Way.choices)
    frames = FrameResultSerializer(many=True, help_text="Those that were looked at and have a result")
    more_levels = serializers.IntegerField()
    joined = JoinedSerializer(allow_null=True)
    ways = WaySerializer(many=True)
    most_seconds = serializers.FloatField(allow_null=True)
    spent_seconds = serializers.FloatField()
    most_stops = serializers.FloatField()
    most_colour = serializers.FloatField(help_text="ΔE00")
    most_percent = serializers.FloatField(help_text="In a cell that differs by itself")
    most_detail = serializers.FloatField(help_text="Percent of an octave's detail")
    state = serializers.ChoiceField(choices=SearchState.choices)
    words = serializers.CharField()
    sentence = serializers.CharField(help_text="What it came to")
    holds = serializers.BooleanField(help_text="False where it changes more than the thresholds at full size")
    scale = serializers.FloatField()
    zone = serializers.CharField(allow_blank=True)
    renders = serializers.IntegerField(help_text="Renders so far, each combination of settings once")
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
    frame = serializers.IntegerField()
    first_frame = serializers.IntegerField()
    last_frame = serializers.IntegerField()
    zones = serializers.ListField(child=serializers.CharField(), help_text="That can be rendered alone")
    proposed = ProposedLadderSerializer(many=True)
    cannot_begin = serializers.CharField(allow_blank=True, help_text="Why no search can begin here")
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
    try:
        frames, proposed, cannot_begin = _frames(base), proposed_ladders(base), ""
        if not proposed:
            cannot_begin = "the control's engine has no number that could be raised from low"
    except InputError as error:  # the study came with a bundle, and what it was rendered with is not here
        frames, proposed, cannot_begin = _frame_alone(base), [], str(error)
    body = {
        "base": base.pk, "base_title": base.title or AS_CONTROL, **frames, "cannot_begin": cannot_begin,
        "zones": [
            zone.name for zone in zones_of(base.setup.scene.name, base.setup.view) if zone.kind == MEASURE
        ],
        "proposed": [
            {
                "setting": each.setting.name, "title": each.setting.title, "unit": each.setting.unit,
                "about": each.setting.about, "levels": each.levels, "wanted": each.wanted,
            }
            for each in proposed
        ],
        "searches": [search_row(row) for row in searching.study_searches(study)],
    }  # fmt: skip
    return Response(SearchesSerializer(body).data)


def _begin(study: Study, request: Request) -> Response:
    form = NewSearchSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    values = form.validated_data
    base = get_object_or_404(Option.objects.select_related("setup__scene", "study"), pk=values["base"], study=study)
    ladders = [Ladder(each["setting"], tuple(each["levels"])) for each in values["ladders"]]
    most = Thresholds(*(values[f"most_{name}"] for name in ("stops", "colour", "percent", "detail")))
    asked = {name: values[name] for name in ("scale", "zone", "way", "frames", "more_levels", "most_renders")}
    made = searching.begin(
        base, ladders, searching.Asked(most, **asked, most_seconds=_seconds(values["most_minutes"]))
    )  # fmt: skip
    return Response(SearchSerializer(search_row(made)).data, status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses=SearchSerializer)
@api_view(["POST"])
def stop(request: Request, pk: int) -> Response:
    """Stop a search; what was compared stays."""
    row = _search(pk)
    searching.stop(row)
    return Response(SearchSerializer(search_row(row)).data)


@extend_schema(request=GoOnSerializer, responses=SearchSerializer)
@api_view(["POST"])
def go_on(request: Request, pk: int) -> Response:
    """Go on with a search that was stopped, failed or ran out of budget."""
    form = GoOnSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    row = _search(pk)
    values = form.validated_data
    searching.go_on(row, values["most_renders"], _seconds(values["most_minutes"]))
    return Response(SearchSerializer(search_row(row)).data)


def _search(pk: int) -> Search:
    return get_object_or_404(Search.objects.select_related("study", "base__setup__scene"), pk=pk)


def _seconds(minutes: float | None) -> float | None:
    return None if minutes is None else 60.0 * minutes


def _frame_alone(base: Option) -> dict[str, int]:
    return dict.fromkeys(("frame", "first_frame", "last_frame"), base.setup.frame)


def _frames(base: Option) -> dict[str, int]:
    scene = scene_named(base.setup.scene.name)
    return {"frame": base.setup.frame, "first_frame": scene.first_frame, "last_frame": scene.last_frame}
