"""Maps, and pictures that are let go to free the disk."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.measuring.disk import let_go
from server.measuring.maps import ask_for_layer
from server.measuring.serializers import LayerSerializer, layer_row
from server.runs.serializers import CountSerializer
from server.studies.models import Option, Pair, Study


class LetGoSerializer(serializers.Serializer):
    """Whose pictures are let go."""

    what = serializers.ChoiceField(choices=["warm_ups", "old", "maps"])


@extend_schema(request=LetGoSerializer, responses=CountSerializer)
@api_view(["POST"])
def let_pictures_go(request: Request, pk: int) -> Response:
    """Let the pictures of warm-ups and pilots, or of runs that are no longer in the plan, go; the figures stay."""
    form = LetGoSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    return Response({"runs": let_go(get_object_or_404(Study, pk=pk), form.validated_data["what"])})


@extend_schema(request=None, responses=LayerSerializer)
@api_view(["POST"])
def option_layer(request: Request, pk: int, name: str) -> Response:
    """A map of an option's renders; asking for it has it made between renders, and asking again tells how far it is."""
    return Response(layer_row(ask_for_layer(get_object_or_404(Option, pk=pk), name)))


@extend_schema(request=None, responses=LayerSerializer)
@api_view(["POST"])
def pair_layer(request: Request, pk: int, name: str) -> Response:
    """A map of a pair, trial against control; asked for and followed in the same way."""
    return Response(layer_row(ask_for_layer(get_object_or_404(Pair, pk=pk), name)))
