"""Pictures to look at together: those that show an answer, beside a pair, and on a study's contact sheet."""

from __future__ import annotations

from dataclasses import asdict

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.errors import PictureError
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.findings.beside import beside
from server.findings.contact import contact_rows
from server.findings.proof_pictures import proof_pictures
from server.studies.models import Pair, Study

CELL_STATES = ("there", "to come", "not rendered", "not planned", "no such zone")


class BesideSerializer(serializers.Serializer):
    """A picture that can stand beside a pair; pictures and passes by seed, a reference's under seed 0."""

    key = serializers.CharField()
    title = serializers.CharField()
    seconds = serializers.FloatField(allow_null=True)
    noise_percent = serializers.FloatField(allow_null=True)
    pictures = serializers.DictField(child=serializers.CharField())
    passes = serializers.DictField(child=serializers.DictField(child=serializers.CharField()))


class ProofPictureSerializer(serializers.Serializer):
    """One picture that shows an answer, and the part of it: x, y, width, height in its own pixels."""

    title = serializers.CharField()
    picture = serializers.CharField()
    box = serializers.ListField(child=serializers.IntegerField(), min_length=4, max_length=4)
    seconds = serializers.FloatField(allow_null=True)
    noise = serializers.FloatField(allow_null=True, help_text="Visible noise in ΔE")
    option = serializers.IntegerField(help_text="0 for a reference")


class ProofPicturesSerializer(serializers.Serializer):
    """Pictures side by side, first the control."""

    pair = serializers.IntegerField(help_text="0 where they are none")
    part = serializers.BooleanField(help_text="Whether only a part is shown")
    where = serializers.CharField(allow_blank=True, help_text="The zone that is shown")
    exposure = serializers.FloatField(help_text="In stops, of all of them")
    transform = serializers.CharField(allow_blank=True)
    sides = ProofPictureSerializer(many=True)


class StudyProofSerializer(serializers.Serializer):
    """What shows a study's answer; null before there is anything to show."""

    pictures = ProofPicturesSerializer(allow_null=True)


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


@extend_schema(responses=BesideSerializer(many=True))
@api_view(["GET"])
def beside_pair(request: Request, pk: int) -> Response:
    """What can be looked at beside a pair: other options at the same place, and references."""
    pair = get_object_or_404(Pair.objects.select_related("control__setup__scene"), pk=pk)
    return Response([asdict(row) for row in beside(pair)])


@extend_schema(responses=StudyProofSerializer)
@api_view(["GET"])
def proof(request: Request, pk: int) -> Response:
    """The pictures that show a study's answer, enlarged where it is best seen."""
    try:
        found = proof_pictures(get_object_or_404(Study.objects.select_related("setup"), pk=pk))
    except PictureError:  # let go to free the disk
        found = None
    return Response(StudyProofSerializer({"pictures": asdict(found) if found else None}).data)


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
