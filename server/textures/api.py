"""Texture plans: what maps take, what is proposed, reduced copies, and renders before and after."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.utils.cache import patch_cache_control
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.errors import InputError
from matchedpair.textures import ROLES, MapPlan
from matchedpair.textures.plan import DIVISORS
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.engines import engines_now, missing_reason
from server.catalogue.fields import NamedSerializer, SettingsField
from server.textures.acting import ask_use, delete_reduced, discard_unfinished, render_before_and_after, write_reduced
from server.textures.comparing import BeforeAfter, before_and_after
from server.textures.miniature import miniature
from server.textures.places import place_named, places_now
from server.textures.planning import PlacePlan, choose, plan_of

PLACE = OpenApiParameter("place", str, required=True, description="scene:NAME or folder:PATH")
A_DAY = 24 * 3600


class PlaceSerializer(serializers.Serializer):
    """A scene or a folder with maps."""

    key = serializers.CharField()
    title = serializers.CharField()
    maps = serializers.IntegerField()


class MapSerializer(serializers.Serializer):
    """One map: what it is, what it takes in memory with its smaller copies, and what becomes of it."""

    file = serializers.CharField()
    digest = serializers.CharField()
    role = serializers.ChoiceField(choices=ROLES)
    role_reason = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    channels = serializers.IntegerField()
    bits = serializers.IntegerField()
    floating = serializers.BooleanField()
    bytes = serializers.IntegerField()
    shown_percent = serializers.FloatField(allow_null=True)
    pixels_across = serializers.FloatField(allow_null=True)
    divisor = serializers.IntegerField()
    proposed = serializers.IntegerField()
    reason = serializers.CharField()
    to_width = serializers.IntegerField()
    to_height = serializers.IntegerField()
    to_channels = serializers.IntegerField()
    to_bytes = serializers.IntegerField()


class BeforeAfterSerializer(serializers.Serializer):
    """A pair of the scene as it is and with reduced copies."""

    pair = serializers.IntegerField()
    study = serializers.IntegerField()
    engine = serializers.CharField()
    sentence = serializers.CharField()
    before_bytes = serializers.FloatField(allow_null=True)
    after_bytes = serializers.FloatField(allow_null=True)
    compared = serializers.IntegerField(help_text="Whole picture and zones that were compared")
    differing = serializers.ListField(child=serializers.CharField())
    smallest_seen_percent = serializers.FloatField(allow_null=True)


class CopiesSerializer(serializers.Serializer):
    """A folder of reduced copies."""

    name = serializers.CharField()
    title = serializers.CharField()
    maps = serializers.IntegerField()
    before_bytes = serializers.IntegerField()
    after_bytes = serializers.IntegerField()
    out_of_date = serializers.BooleanField()
    by_plan = serializers.BooleanField(help_text="These are what the plan asks for now")
    pairs = BeforeAfterSerializer(many=True)


class ProblemSerializer(serializers.Serializer):
    """A file that cannot be used, and why."""

    file = serializers.CharField()
    reason = serializers.CharField()


class AskedSerializer(serializers.Serializer):
    """Which engine told the use on screen, for what."""

    engine_title = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    views = serializers.ListField(child=serializers.CharField())
    frames = serializers.ListField(child=serializers.IntegerField())
    out_of_date = serializers.BooleanField()


class TexturePlanSerializer(serializers.Serializer):
    """All maps of a place, the largest first."""

    place = serializers.CharField()
    title = serializers.CharField()
    scene = serializers.CharField(allow_blank=True)
    maps = MapSerializer(many=True)
    before_bytes = serializers.IntegerField()
    after_bytes = serializers.IntegerField()
    unread = serializers.IntegerField(help_text="Maps that are not read yet; ask again")
    problems = ProblemSerializer(many=True)
    asked = AskedSerializer(allow_null=True)
    engines = NamedSerializer(many=True, help_text="That can tell the use on screen")
    copies = CopiesSerializer(many=True)
    wrong_copies = serializers.ListField(child=serializers.CharField())
    to_write = serializers.IntegerField(help_text="Copies that the plan asks for")
    written = serializers.IntegerField(help_text="Of these, how many an unfinished writing has written")
    roles = serializers.ListField(child=serializers.CharField())
    divisors = serializers.ListField(child=serializers.IntegerField())


class AtPlaceSerializer(serializers.Serializer):
    """A scene or folder."""

    place = serializers.CharField(max_length=400)


class ChoiceSerializer(AtPlaceSerializer):
    """What a person decides of a map; null leaves it to the proposal."""

    file = serializers.CharField(max_length=400)
    role = serializers.ChoiceField(choices=ROLES, allow_null=True, default=None)
    divisor = serializers.IntegerField(min_value=1, allow_null=True, default=None)


class AskUseSerializer(AtPlaceSerializer):
    """Which engine, for a picture of which size."""

    engine = serializers.CharField(max_length=40)
    width = serializers.IntegerField(min_value=1, max_value=16384, default=1920)
    height = serializers.IntegerField(min_value=1, max_value=16384, default=1080)


class NewBeforeAfterSerializer(AtPlaceSerializer):
    """How to render before and after; settings that are not given stand at their defaults."""

    copies = serializers.CharField(max_length=80)
    engine = serializers.CharField(max_length=40)
    view = serializers.CharField(max_length=80)
    width = serializers.IntegerField(min_value=1, max_value=16384, default=480)
    height = serializers.IntegerField(min_value=1, max_value=16384, default=270)
    settings = SettingsField(default=dict)
    repeats = serializers.IntegerField(min_value=2, max_value=100, default=2)


class StudyMadeSerializer(serializers.Serializer):
    """The study that was made."""

    study = serializers.IntegerField()


@extend_schema(responses=PlaceSerializer(many=True))
@api_view(["GET"])
def places(request: Request) -> Response:
    """The scenes and folders that have maps."""
    rows = [{"key": key, "title": title, "maps": count} for key, title, count in places_now()]
    return Response(PlaceSerializer(rows, many=True).data)


@extend_schema(parameters=[PLACE], responses=TexturePlanSerializer)
@api_view(["GET"])
def plan(request: Request) -> Response:
    """The plan of a place; ask again while maps are unread."""
    return _plan(str(request.query_params.get("place", "")))


@extend_schema(
    parameters=[PLACE, OpenApiParameter("file", str, required=True)],
    responses={(200, "image/png"): OpenApiTypes.BINARY},
)
@api_view(["GET"])
def picture(request: Request) -> HttpResponse:
    """A map, small, as a PNG."""
    place = place_named(str(request.query_params.get("place", "")))
    file = str(request.query_params.get("file", ""))
    if file not in place.files:
        raise InputError(f"there is no map {file!r} here")
    response = HttpResponse(miniature(place.base / file, file), content_type="image/png")
    patch_cache_control(response, max_age=A_DAY, private=True)
    return response


@extend_schema(request=ChoiceSerializer, responses=TexturePlanSerializer)
@api_view(["PUT"])
def choice(request: Request) -> Response:
    """Decide a map's role or size, or leave both to the proposal."""
    values = _values(ChoiceSerializer, request)
    choose(place_named(values["place"]), values["file"], values["role"], values["divisor"])
    return _plan(values["place"])


@extend_schema(request=AskUseSerializer, responses=TexturePlanSerializer)
@api_view(["POST"])
def use(request: Request) -> Response:
    """Ask an engine how large the views show each map; takes a few seconds."""
    values = _values(AskUseSerializer, request)
    ask_use(place_named(values["place"]), values["engine"], values["width"], values["height"])
    return _plan(values["place"])


@extend_schema(
    methods=["POST"], request=AtPlaceSerializer, responses={200: TexturePlanSerializer, 201: TexturePlanSerializer}
)  # fmt: skip
@extend_schema(
    methods=["DELETE"], request=None, responses={200: TexturePlanSerializer},
    parameters=[PLACE, OpenApiParameter("name", str, required=True)],
)  # fmt: skip
@api_view(["POST", "DELETE"])
def copies(request: Request) -> Response:
    """Write reduced copies beside the originals, some at a time: ask again until 201. Or delete a folder of them."""
    if request.method == "DELETE":
        place = str(request.query_params.get("place", ""))
        delete_reduced(place_named(place), str(request.query_params.get("name", "")))
        return _plan(place)
    values = _values(AtPlaceSerializer, request)
    writing = write_reduced(place_named(values["place"]))
    return _plan(values["place"], status.HTTP_201_CREATED if writing.copies else status.HTTP_200_OK)


@extend_schema(request=None, responses={200: TexturePlanSerializer}, parameters=[PLACE])
@api_view(["DELETE"])
def unfinished(request: Request) -> Response:
    """Delete what a writing that was stopped has written so far."""
    place = str(request.query_params.get("place", ""))
    discard_unfinished(place_named(place))
    return _plan(place)


@extend_schema(request=NewBeforeAfterSerializer, responses={201: StudyMadeSerializer})
@api_view(["POST"])
def before_after(request: Request) -> Response:
    """Render the scene as it is and with reduced copies: a study of one pair, queued."""
    values = _values(NewBeforeAfterSerializer, request)
    place, name = place_named(values.pop("place")), values.pop("copies")
    study = render_before_and_after(place, name, values)
    return Response(StudyMadeSerializer({"study": study.pk}).data, status=status.HTTP_201_CREATED)


def _values(kind: type[serializers.Serializer], request: Request) -> dict[str, Any]:
    form = kind(data=request.data)
    form.is_valid(raise_exception=True)
    return dict(form.validated_data)


def _plan(key: str, code: int = status.HTTP_200_OK) -> Response:
    found = plan_of(place_named(key))
    return Response(TexturePlanSerializer(_body(found)).data, status=code)


def _body(found: PlacePlan) -> dict[str, Any]:
    place, asked = found.place, found.asked
    pairs = before_and_after(place)
    good, _ = engines_now()
    return {
        "place": place.key, "title": place.title, "scene": place.scene.name if place.scene else "",
        "maps": [_map(row) for row in found.plan.maps],
        "before_bytes": found.plan.before_bytes, "after_bytes": found.plan.after_bytes, "unread": found.unread,
        "problems": [{"file": file, "reason": reason} for file, reason in found.problems.items()],
        "asked": None if asked is None else {
            **{name: getattr(asked, name) for name in ("engine_title", "width", "height", "views", "frames")},
            "out_of_date": place.scene is None or asked.revision != place.scene.revision,
        },
        "engines": [
            {"name": each.name, "title": each.title}
            for each in good if not each.cannot("texture_use") and not missing_reason(each)
        ],
        "copies": [
            {
                "name": each.name, "title": each.title(), "maps": len(each.maps), "before_bytes": each.before_bytes,
                "after_bytes": each.after_bytes, "out_of_date": each.name in found.outdated,
                "by_plan": each.made_by(found.plan),
                "pairs": [_pair(row) for row in pairs.get(each.name, [])],
            }
            for each in found.copies
        ],
        "wrong_copies": found.wrong_copies, "to_write": found.writing.of, "written": found.writing.done,
        "roles": ROLES, "divisors": DIVISORS,
    }  # fmt: skip


def _map(row: MapPlan) -> dict[str, Any]:
    plain = ("file", "digest", "width", "height", "channels", "bits", "floating")
    return {
        **{name: getattr(row.texture, name) for name in plain},
        "role": row.role, "role_reason": row.role_reason, "bytes": row.texture.with_copies_bytes,
        "shown_percent": row.use.shown_percent if row.use else None,
        "pixels_across": row.use.pixels_across if row.use else None,
        "divisor": row.divisor, "proposed": row.proposed, "reason": row.reason,
        "to_width": row.size[0], "to_height": row.size[1], "to_channels": row.channels,
        "to_bytes": row.with_copies_bytes,
    }  # fmt: skip


def _pair(row: BeforeAfter) -> dict[str, Any]:
    return {
        "pair": row.pair.pk, "study": row.pair.study_id, "engine": row.pair.trial.engine_title,
        "sentence": row.sentence, "before_bytes": row.before_bytes, "after_bytes": row.after_bytes,
        "compared": row.compared, "differing": row.differing, "smallest_seen_percent": row.smallest_seen_percent,
    }  # fmt: skip
