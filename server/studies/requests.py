"""Studies that a request asks for, and what it carries."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from rest_framework.request import Request

from server.studies.draft import Draft
from server.studies.forms import draft_from
from server.studies.models import Study
from server.studies.serializers import SwitchSerializer


def study_with_all(pk: int) -> Study:
    """A study with what `StudySerializer` reads; 404 when there is none."""
    rows = Study.objects.select_related("setup__scene").prefetch_related("options__setup__scene")
    return get_object_or_404(rows, pk=pk)


def draft_of(request: Request) -> tuple[Draft | None, dict[str, list[str]]]:
    """The draft that a request carries, or what is wrong with it by field."""
    return draft_from(request.data)


def switched_on(request: Request) -> bool:
    """What a request with a switch asks."""
    form = SwitchSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    return bool(form.validated_data["on"])
