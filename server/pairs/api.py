"""What makes a pair matched, and what is looked at together with it."""

from __future__ import annotations

from dataclasses import asdict

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.models import Zone
from server.catalogue.serializers import BrightnessSerializer
from server.pairs.beside import beside
from server.pairs.brightness import bring_together
from server.pairs.contact_sheet import contact_rows
from server.pairs.pair import figures_of_pair
from server.pairs.partners import mend
from server.studies.models import Pair, Study

CELL_STATES = ("there", "to come", "not rendered", "not planned", "no such zone")


class AskedBrightnessSerializer(serializers.Serializer):
    """On which zone; null for the whole picture."""

    zone = serializers.IntegerField(allow_null=True)


class MendSerializer(serializers.Serializer):
    """Which condition to make held."""

    condition = serializers.CharField(max_length=40)


class MendedSerializer(serializers.Serializer):
    """The pair that will be matched, and how many renders were queued for it."""

    pair = serializers.IntegerField()
    runs = serializers.IntegerField()


class BesideSerializer(serializers.Serializer):
    """A picture that can stand beside a pair; pictures and passes by seed, a reference's under seed 0."""

    key = serializers.CharField()
    title = serializers.CharField()
    seconds = serializers.FloatField(allow_null=True)
    noise_percent = serializers.FloatField(allow_null=True)
    pictures = serializers.DictField(child=serializers.CharField())
    passes = serializers.DictField(child=serializers.DictField(child=serializers.CharField()))


class AxisSerializer(serializers.Serializer):
    """What rows or columns can be."""

    name = serializers.CharField()
    title = serializers.CharField()
    values = serializers.ListField(child=serializers.CharField())


class HeldSerializer(AxisSerializer):
    """A factor on neither axis, and the value that all cells have there."""

    value = serializers.CharField()


class ContactCellSerializer(serializers.Serializer):
    """One cell: a picture or the part of it in a zone (`box`: x, y, width, height), its time and its noise there."""

    option = serializers.IntegerField(allow_null=True)
    title = serializers.CharField()
    zone = serializers.CharField()
    state = serializers.ChoiceField(choices=CELL_STATES)
    picture = serializers.CharField()
    seed = serializers.IntegerField(allow_null=True)
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    box = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    seconds = serializers.FloatField(allow_null=True)
    basis = serializers.CharField()
    noise_percent = serializers.FloatField(allow_null=True)
    noise_method = serializers.CharField()


class ContactSheetSerializer(serializers.Serializer):
    """Pictures in rows and columns; `references` holds one a row, `references_above` one a column, null for none.

    At most one of the two is not empty.
    """

    axes = AxisSerializer(many=True)
    rows = AxisSerializer()
    columns = AxisSerializer()
    fixed = HeldSerializer(many=True)
    zones = serializers.ListField(child=serializers.CharField())
    zone = serializers.CharField()
    seeds = serializers.ListField(child=serializers.IntegerField())
    seed = serializers.IntegerField(allow_null=True)
    cells = serializers.ListField(child=ContactCellSerializer(many=True))
    references = serializers.ListField(child=ContactCellSerializer(allow_null=True))
    references_above = serializers.ListField(child=ContactCellSerializer(allow_null=True))
    view_transform = serializers.CharField()


@extend_schema(request=MendSerializer, responses={201: MendedSerializer})
@api_view(["POST"])
def mend_pair(request: Request, pk: int) -> Response:
    """Queue what makes a condition held, such as the control at the trial's size; the answer names the matched pair."""
    form = MendSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    made, runs = mend(figures_of_pair(pk), form.validated_data["condition"])
    return Response({"pair": made.pk, "runs": runs}, status=status.HTTP_201_CREATED)


@extend_schema(request=AskedBrightnessSerializer, responses={201: BrightnessSerializer})
@api_view(["POST"])
def brightness(request: Request, pk: int) -> Response:
    """Compute what makes the trial's engine as bright as the control's in a zone, and use it from now on."""
    form = AskedBrightnessSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    number = form.validated_data["zone"]
    zone = get_object_or_404(Zone, pk=number, removed_at=None) if number else None
    row, _ = bring_together(figures_of_pair(pk), zone)
    return Response(BrightnessSerializer(row).data, status=status.HTTP_201_CREATED)


@extend_schema(responses=BesideSerializer(many=True))
@api_view(["GET"])
def beside_pair(request: Request, pk: int) -> Response:
    """What can be looked at beside a pair: other options at the same place, and references."""
    pair = get_object_or_404(Pair.objects.select_related("control__setup__scene"), pk=pk)
    return Response([asdict(row) for row in beside(pair)])


@extend_schema(
    parameters=[
        *(OpenApiParameter(name, str) for name in ("rows", "columns", "zone")),
        OpenApiParameter("seed", int),
        OpenApiParameter(
            "at", str, many=True, description="Where a factor on neither axis is held, as FACTOR=LEVEL in words"
        ),
    ],
    responses=ContactSheetSerializer,
)
@api_view(["GET"])
def contact(request: Request, pk: int) -> Response:
    """The contact sheet of a study."""
    asked = request.query_params
    seed = asked.get("seed", "")
    held = dict(text.split("=", 1) for text in asked.getlist("at") if "=" in text)
    rows = contact_rows(
        get_object_or_404(Study.objects.select_related("setup"), pk=pk), rows=asked.get("rows", ""),
        columns=asked.get("columns", ""), zone=asked.get("zone", ""), seed=int(seed) if seed.isdigit() else None,
        fixed=held,
    )  # fmt: skip
    return Response(ContactSheetSerializer(rows).data)
