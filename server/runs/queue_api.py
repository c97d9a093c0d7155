"""The queue: what waits in which order, what is rendered now, and the hands on it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from matchedpair.errors import PictureError
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.runs.actions import move_up, pause, stop_runs
from server.runs.models import OPEN_STATES, Queue, Run, RunState
from server.runs.progress import seconds_left
from server.store.files import room_problem
from server.store.kept_answers import kept_answer
from server.store.pixels import live_thumbnail, path_of_live
from server.studies.models import Side
from server.studies.requests import switched_on
from server.studies.serializers import SwitchSerializer

MOST_SHOWN = 200
PROGRESS_SECONDS = 0.5  # how far renders are is told no more often


class QueuedRunSerializer(serializers.ModelSerializer):
    """A run that waits or is being rendered."""

    study = serializers.IntegerField(source="study_id")
    question = serializers.CharField(source="study.question")
    side = serializers.ChoiceField(choices=Side.choices, source="option.side")
    title = serializers.CharField(source="option.title")
    engine = serializers.CharField(source="option.engine_title")
    purpose = serializers.CharField(source="option.purpose")
    state = serializers.ChoiceField(choices=RunState.choices)
    live = serializers.SerializerMethodField()
    listed = serializers.SerializerMethodField()

    class Meta:
        model = Run
        fields = [
            "id", "study", "question", "side", "title", "engine", "purpose", "seed", "warm_up", "state", "stop_asked",
            "share_done", "elapsed_seconds", "ready_seconds", "machine_name", "reached", "live",
            "listed",
        ]  # fmt: skip
        read_only_fields = fields

    def get_listed(self, run: Run) -> bool:
        """Whether its study is one to look at; the pilots of plans not saved yet have none."""
        return not run.study.of_drafts

    def get_live(self, run: Run) -> str:
        """Where its picture can be seen growing; empty when there is none yet."""
        shown = run.state == RunState.RUNNING and run.reached is not None and path_of_live(run.pk).is_file()
        return f"/api/runs/{run.pk}/live/?at={run.reached:g}" if shown else ""


class QueueSerializer(serializers.Serializer):
    """The whole queue: those under way first, then those that wait, in order; at most 200 are listed."""

    paused = serializers.BooleanField()
    held = serializers.CharField(help_text="Why it cannot go on; empty when it can")
    waiting = serializers.IntegerField()
    seconds_left = serializers.FloatField(allow_null=True)
    current_seconds_left = serializers.FloatField(allow_null=True)
    runs = QueuedRunSerializer(many=True)


class MoveSerializer(serializers.Serializer):
    """Where to."""

    to = serializers.ChoiceField(choices=["up", "front"])


@extend_schema(responses=QueueSerializer)
@api_view(["GET"])
@kept_answer(seconds=PROGRESS_SECONDS)
def queue(request: Request) -> Response:
    """The queue as it stands."""
    return Response(QueueSerializer(_queue()).data)


@extend_schema(request=SwitchSerializer, responses=QueueSerializer)
@api_view(["POST"])
def pause_queue(request: Request) -> Response:
    """Start no further render, or go on."""
    pause(switched_on(request))
    return Response(QueueSerializer(_queue()).data)


@extend_schema(request=None, responses=QueueSerializer)
@api_view(["POST"])
def stop_queue(request: Request) -> Response:
    """Stop every render that waits or is under way, of all studies; each can be run again."""
    stop_runs(Run.objects.filter(state__in=OPEN_STATES))
    return Response(QueueSerializer(_queue()).data)


@extend_schema(request=MoveSerializer, responses=QueueSerializer)
@api_view(["POST"])
def move_run(request: Request, pk: int) -> Response:
    """Make a queued run one place earlier, or the next."""
    form = MoveSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    move_up(get_object_or_404(Run, pk=pk), to_front=form.validated_data["to"] == "front")
    return Response(QueueSerializer(_queue()).data)


@extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
@api_view(["GET"])
def live_picture(request: Request, pk: int) -> HttpResponse:
    """The newest picture that the run under way has written, as a PNG."""
    try:
        contents = live_thumbnail(pk)
    except (PictureError, OSError) as error:
        raise Http404 from error
    return HttpResponse(contents, content_type="image/png", headers={"Cache-Control": "no-store"})


def _queue() -> dict[str, Any]:
    state = Queue.now()
    rows = Run.objects.filter(state__in=OPEN_STATES).select_related("study", "option").defer("log", "command")
    ordered = sorted(rows, key=lambda run: (run.state != RunState.RUNNING, run.queued_order, run.pk))
    current, left = seconds_left(None, ordered)
    return {
        "paused": state.paused_at is not None, "held": state.held or room_problem(settings.HOME),
        "runs": ordered[:MOST_SHOWN],
        "waiting": sum(run.state == RunState.QUEUED for run in ordered), "seconds_left": left,
        "current_seconds_left": current,
    }  # fmt: skip
