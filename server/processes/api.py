"""What the measurer could not do: look, and have it tried again."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.processes.measurer import try_again
from server.processes.models import Trouble


class TroubleSerializer(serializers.ModelSerializer):
    """A piece of work that was tried in vain and set aside."""

    class Meta:
        model = Trouble
        fields = ["id", "about", "reason", "tries", "last_at"]
        read_only_fields = fields


@extend_schema(responses=TroubleSerializer(many=True))
@api_view(["GET"])
def troubles(request: Request) -> Response:
    """What was set aside, the latest first."""
    return Response(TroubleSerializer(Trouble.objects.exclude(set_aside_at=None), many=True).data)


@extend_schema(request=None, responses={204: None})
@api_view(["POST"])
def again(request: Request, pk: int) -> Response:
    """Have it tried again."""
    try_again(get_object_or_404(Trouble, pk=pk))
    return Response(status=204)
