"""What the measurer could not do, and the copy of everything: look, and ask for it."""

from __future__ import annotations

from dataclasses import asdict

from django.shortcuts import get_object_or_404
from django.utils.dateparse import parse_datetime
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.processes.copying import begin_copy, copying, on_another_disk
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


class BackupSerializer(serializers.Serializer):
    """How the copy of everything stands."""

    at_work = serializers.BooleanField()
    done = serializers.IntegerField(help_text="Files it is through with")
    of = serializers.IntegerField(help_text="Files in all")
    made_at = serializers.DateTimeField(allow_null=True, help_text="When the last whole copy was made")
    new_files = serializers.IntegerField(help_text="What the last one had to add")
    new_bytes = serializers.IntegerField()
    problem = serializers.CharField(allow_blank=True)
    on_another_disk = serializers.BooleanField()


@extend_schema(methods=["GET"], responses=BackupSerializer)
@extend_schema(methods=["POST"], request=None, responses={202: BackupSerializer})
@api_view(["GET", "POST"])
def backup(request: Request) -> Response:
    """How the copy of everything stands; POST begins one, which takes only what is new."""
    if request.method == "POST":
        begin_copy()
    told = asdict(copying()) | {"on_another_disk": on_another_disk()}
    shown = BackupSerializer(told | {"made_at": parse_datetime(told["made_at"])})
    return Response(shown.data, status=202 if request.method == "POST" else 200)
