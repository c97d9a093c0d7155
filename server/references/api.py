"""References and panoramas: bring in, match, look, take away."""

from __future__ import annotations

import json
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.errors import InputError
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from server.references.actions import from_option, from_upload, lay_over_render, take_panorama
from server.references.models import Panorama, Reference, ReferenceKind
from server.store.uploads import uploaded
from server.studies.models import Option

HOW_TAKEN = ("exposure", "lens", "field_of_view_degrees", "taken_at", "capture_seconds", "notes")


class DetailsSerializer(serializers.Serializer):
    """How a photograph was taken, or how a picture was computed; every part may be unknown."""

    exposure = serializers.CharField(required=False, allow_blank=True, max_length=200)
    lens = serializers.CharField(required=False, allow_blank=True, max_length=200)
    field_of_view_degrees = serializers.FloatField(required=False, allow_null=True, min_value=0.1, max_value=179)
    taken_at = serializers.CharField(required=False, allow_blank=True, max_length=100)
    capture_seconds = serializers.FloatField(required=False, allow_null=True, min_value=0)
    notes = serializers.CharField(required=False, allow_blank=True, max_length=2000)


class MatchReportSerializer(serializers.Serializer):
    """What was done to lay a photograph over a render."""

    stops = serializers.FloatField()
    white_balance = serializers.ListField(child=serializers.FloatField())
    shift_pixels = serializers.ListField(child=serializers.FloatField())
    scale = serializers.FloatField()
    alike_before = serializers.FloatField()
    alike_after = serializers.FloatField()
    covered = serializers.FloatField()
    run = serializers.IntegerField()
    study = serializers.IntegerField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    left_out = serializers.ListField(child=serializers.CharField())


class ReferenceSerializer(serializers.ModelSerializer):
    """What renders of a setup are judged against."""

    kind = serializers.ChoiceField(choices=ReferenceKind.choices)
    scene = serializers.CharField(source="setup.scene.name")
    view = serializers.CharField(source="setup.view")
    variant = serializers.CharField(source="setup.variant")
    frame = serializers.IntegerField(source="setup.frame")
    width = serializers.IntegerField(source="setup.width")
    height = serializers.IntegerField(source="setup.height")
    details = serializers.DictField()
    match = MatchReportSerializer(allow_null=True)

    class Meta:
        model = Reference
        fields = [
            "id", "kind", "title", "scene", "view", "variant", "frame", "width", "height", "picture", "twin",
            "encoding", "details", "matched_picture", "match", "created_at",
        ]  # fmt: skip
        read_only_fields = fields


class FromOptionSerializer(serializers.Serializer):
    """An option whose renders become a reference."""

    option = serializers.IntegerField()
    title = serializers.CharField(max_length=200, allow_blank=True, default="")


class UploadedReferenceSerializer(serializers.Serializer):
    """The form beside an uploaded reference."""

    kind = serializers.ChoiceField(choices=ReferenceKind.choices)
    title = serializers.CharField(max_length=200, allow_blank=True, default="")
    scene = serializers.CharField(max_length=80)
    view = serializers.CharField(max_length=80)
    variant = serializers.CharField(max_length=80, allow_blank=True, default="")
    frame = serializers.IntegerField(required=False, allow_null=True)
    transform = serializers.CharField(max_length=200, allow_blank=True, default="")
    details = serializers.CharField(required=False, allow_blank=True, help_text="JSON: how it was taken or computed")


class PanoramaFiguresSerializer(serializers.Serializer):
    """Figures of a light panorama; angles in degrees."""

    brightest_to_darkest = serializers.FloatField()
    stops = serializers.FloatField()
    azimuth_degrees = serializers.FloatField()
    elevation_degrees = serializers.FloatField()
    main_light_rgb = serializers.ListField(child=serializers.FloatField())
    main_light_share = serializers.FloatField()
    main_light_degrees = serializers.FloatField()
    clipped = serializers.BooleanField()


class PanoramaSerializer(serializers.ModelSerializer):
    """A light panorama and its figures."""

    figures = PanoramaFiguresSerializer()

    class Meta:
        model = Panorama
        fields = ["id", "title", "picture", "figures", "created_at"]
        read_only_fields = fields


@extend_schema(methods=["GET"], responses=ReferenceSerializer(many=True), parameters=[OpenApiParameter("scene", str)])
@extend_schema(
    methods=["POST"], request={"multipart/form-data": UploadedReferenceSerializer}, responses={201: ReferenceSerializer}
)
@api_view(["GET", "POST"])
@parser_classes([MultiPartParser])
def references(request: Request) -> Response:
    """All references, or those of a scene; or take one in as the form's ``file`` (and ``twin``)."""
    if request.method == "POST":
        upload = uploaded(request)
        form = UploadedReferenceSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        values = {**form.validated_data, "details": _details(form.validated_data.get("details", ""))}
        row = from_upload(upload, values, request.FILES.get("twin"))
        return Response(ReferenceSerializer(row).data, status=status.HTTP_201_CREATED)
    rows = Reference.objects.filter(removed_at=None).select_related("setup__scene")
    scene = request.query_params.get("scene")
    return Response(ReferenceSerializer(rows.filter(setup__scene__name=scene) if scene else rows, many=True).data)


@extend_schema(request=FromOptionSerializer, responses={201: ReferenceSerializer})
@api_view(["POST"])
def option_reference(request: Request) -> Response:
    """Make an option's renders a reference: the first seed, and the second as its twin."""
    form = FromOptionSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    option = get_object_or_404(Option.objects.select_related("study", "setup__scene"), pk=form.validated_data["option"])
    row = from_option(option, form.validated_data["title"])
    return Response(ReferenceSerializer(row).data, status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses={204: None})
@api_view(["DELETE"])
def reference(request: Request, pk: int) -> Response:
    """Remove a reference; it can be put back."""
    Reference.objects.filter(pk=get_object_or_404(Reference, pk=pk).pk).update(removed_at=timezone.now())
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=ReferenceSerializer)
@api_view(["POST"])
def restore_reference(request: Request, pk: int) -> Response:
    """Put a reference back."""
    Reference.objects.filter(pk=pk).update(removed_at=None)
    return Response(ReferenceSerializer(_reference(pk)).data)


@extend_schema(request=None, responses=ReferenceSerializer)
@api_view(["POST"])
def match(request: Request, pk: int) -> Response:
    """Lay a photograph over the newest render of its view, and report what was done."""
    return Response(ReferenceSerializer(lay_over_render(_reference(pk))).data)


@extend_schema(methods=["GET"], responses=PanoramaSerializer(many=True))
@extend_schema(
    methods=["POST"], request={"multipart/form-data": OpenApiTypes.OBJECT}, responses={201: PanoramaSerializer}
)
@api_view(["GET", "POST"])
@parser_classes([MultiPartParser])
def panoramas(request: Request) -> Response:
    """All light panoramas; or take one in as the form's ``file``."""
    if request.method == "POST":
        row = take_panorama(uploaded(request), str(request.data.get("title", ""))[:200])
        return Response(PanoramaSerializer(row).data, status=status.HTTP_201_CREATED)
    return Response(PanoramaSerializer(Panorama.objects.filter(removed_at=None), many=True).data)


@extend_schema(request=None, responses={204: None})
@api_view(["DELETE"])
def panorama(request: Request, pk: int) -> Response:
    """Remove a panorama; it can be put back."""
    Panorama.objects.filter(pk=get_object_or_404(Panorama, pk=pk).pk).update(removed_at=timezone.now())
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=PanoramaSerializer)
@api_view(["POST"])
def restore_panorama(request: Request, pk: int) -> Response:
    """Put a panorama back."""
    Panorama.objects.filter(pk=pk).update(removed_at=None)
    return Response(PanoramaSerializer(get_object_or_404(Panorama, pk=pk)).data)


def _reference(pk: int) -> Reference:
    return get_object_or_404(Reference.objects.select_related("setup__scene"), pk=pk)


def _details(text: str) -> dict[str, Any]:
    """What is known of how it was taken; parts that are not known are left out."""
    if not text:
        return {}
    try:
        raw = json.loads(text)
    except ValueError as error:
        raise InputError(f"details: expected JSON: {error}") from error
    if not isinstance(raw, dict):
        raise InputError("details: expected an object")
    form = DetailsSerializer(data={key: value for key, value in raw.items() if key in HOW_TAKEN})
    form.is_valid(raise_exception=True)
    return {key: value for key, value in form.validated_data.items() if value not in ("", None)}
