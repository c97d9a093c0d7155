"""Searches for matched pairs: begin, stop, go on."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.searches import same_noise
from server.searches.matching_serializers import MatchingSerializer, NewMatchingSerializer, matching_row
from server.searches.models import Matching
from server.studies.models import Option, Study


@extend_schema(methods=["GET"], responses=MatchingSerializer(many=True))
@extend_schema(methods=["POST"], request=NewMatchingSerializer, responses={201: MatchingSerializer})
@api_view(["GET", "POST"])
def matchings(request: Request, pk: int) -> Response:
    """The searches of a study, newest first; or begin one."""
    study = get_object_or_404(Study, pk=pk)
    if request.method == "GET":
        rows = same_noise.with_figures(study.matchings.select_related("control", "trial"))
        return Response(MatchingSerializer([matching_row(*row) for row in rows], many=True).data)
    form = NewMatchingSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    values = form.validated_data
    options = {
        side: get_object_or_404(Option.objects.select_related("setup__scene"), pk=values[side], study=study)
        for side in ("control", "trial")
    }
    made = same_noise.begin(options["control"], options["trial"], values["on"], values["zone"], values["knob"])
    return Response(_body(made), status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses=MatchingSerializer)
@api_view(["POST"])
def stop(request: Request, pk: int) -> Response:
    """Stop a search; what is rendered stays."""
    row = _row(pk)
    same_noise.stop(row)
    return Response(_body(row))


@extend_schema(request=None, responses=MatchingSerializer)
@api_view(["POST"])
def go_on(request: Request, pk: int) -> Response:
    """Go on with a search that was stopped or failed; bad renders are made again."""
    row = _row(pk)
    same_noise.go_on(row)
    return Response(_body(row))


def _row(pk: int) -> Matching:
    return get_object_or_404(Matching.objects.select_related("study", "control", "trial"), pk=pk)


def _body(row: Matching) -> object:
    [found] = same_noise.with_figures(Matching.objects.filter(pk=row.pk).select_related("control", "trial"))
    return MatchingSerializer(matching_row(*found)).data
