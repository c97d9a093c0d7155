"""Verdicts, pins and criteria."""

from __future__ import annotations

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.pairs.pair import with_all
from server.store.versions import must_match, version_of
from server.studies.models import Pair
from server.verdicts import actions
from server.verdicts.models import Pin, Verdict
from server.verdicts.serializers import (
    CriteriaSerializer,
    NewPinSerializer,
    NewVerdictSerializer,
    PinNoteSerializer,
    PinSerializer,
    VerdictSerializer,
    signed,
)


@extend_schema(request=NewVerdictSerializer, responses={201: VerdictSerializer})
@api_view(["POST"])
def verdicts(request: Request, pk: int) -> Response:
    """Record a verdict on a pair."""
    row = get_object_or_404(with_all(Pair.objects.all()), pk=pk)
    form = NewVerdictSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    verdict = actions.give_verdict(row, **signed(request, form.validated_data))
    return Response(VerdictSerializer(verdict).data, status=status.HTTP_201_CREATED)


@extend_schema(request=None, responses={204: None})
@api_view(["DELETE"])
def verdict(request: Request, pk: int) -> Response:
    """Withdraw a verdict; it can be restored."""
    actions.withdraw(get_object_or_404(Verdict, pk=pk))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=VerdictSerializer)
@api_view(["POST"])
def restore_verdict(request: Request, pk: int) -> Response:
    """Put a withdrawn verdict back."""
    row = get_object_or_404(Verdict, pk=pk)
    actions.restore(row)
    return Response(VerdictSerializer(row).data)


@extend_schema(methods=["GET"], responses=CriteriaSerializer)
@extend_schema(methods=["PUT"], request=CriteriaSerializer, responses=CriteriaSerializer)
@api_view(["GET", "PUT"])
def criteria(request: Request) -> Response:
    """What verdicts mark; a studio may keep a list of its own."""
    if request.method == "PUT":
        form = CriteriaSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        with transaction.atomic():
            must_match(request, "the list of criteria", actions.criteria_now())
            actions.keep_criteria(form.validated_data["criteria"])
    now = actions.criteria_now()
    return Response(CriteriaSerializer({"criteria": now, "version": version_of(now)}).data)


@extend_schema(request=NewPinSerializer, responses={201: PinSerializer})
@api_view(["POST"])
def pins(request: Request, pk: int) -> Response:
    """Put a pin on a pair's pictures."""
    form = NewPinSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    row = actions.put_pin(get_object_or_404(Pair, pk=pk), **signed(request, form.validated_data))
    return Response(PinSerializer(row).data, status=status.HTTP_201_CREATED)


@extend_schema(methods=["PATCH"], request=PinNoteSerializer, responses=PinSerializer)
@extend_schema(methods=["DELETE"], request=None, responses={204: None})
@api_view(["PATCH", "DELETE"])
def pin(request: Request, pk: int) -> Response:
    """Change a pin's text, or take the pin away; it can be put back."""
    row = get_object_or_404(Pin, pk=pk)
    if request.method == "DELETE":
        actions.remove_pin(row, True)
        return Response(status=status.HTTP_204_NO_CONTENT)
    form = PinNoteSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    actions.change_pin(row, **form.validated_data)
    row.refresh_from_db()
    return Response(PinSerializer(row).data)


@extend_schema(request=None, responses=PinSerializer)
@api_view(["POST"])
def restore_pin(request: Request, pk: int) -> Response:
    """Put a pin back that was taken away."""
    row = get_object_or_404(Pin, pk=pk)
    actions.remove_pin(row, False)
    return Response(PinSerializer(row).data)
