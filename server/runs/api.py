"""Runs: look, start, stop, again."""

from __future__ import annotations

from collections import Counter
from typing import Any

from django.db.models import Count, F, Max, QuerySet
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.runs import actions
from server.runs.actions import run_again, run_bad_again, stop_runs
from server.runs.models import BAD, BAD_STATES, ENDED_WARM_UP, OPEN_STATES, Run, RunState
from server.runs.progress import StudyState, lacking_renders, planned_renders, seconds_left, state_of
from server.runs.serializers import CountSerializer, RunSerializer
from server.store.kept_answers import kept_answer
from server.studies.models import BESIDES, Purpose, Study
from server.studies.requests import study_with_all, switched_on
from server.studies.serializers import StudySerializer, SwitchSerializer

PROGRESS_SECONDS = 0.3  # how far renders are is told no more often


class MachineSerializer(serializers.Serializer):
    """The machine a run was made on."""

    name = serializers.CharField()
    processor = serializers.CharField()
    cores = serializers.IntegerField()
    memory_bytes = serializers.IntegerField()
    system = serializers.CharField()


class RunDetailSerializer(RunSerializer):
    """One run with its log, command and machine."""

    machine = MachineSerializer(allow_null=True)
    command = serializers.ListField(child=serializers.CharField())

    class Meta(RunSerializer.Meta):
        fields = [*RunSerializer.Meta.fields, "log", "command", "machine", "load_before", "exit_code"]
        read_only_fields = fields


class ProgressSerializer(serializers.Serializer):
    """Where a study's runs stand. `stamp` changes when a run has ended, or its picture was let go."""

    state = serializers.ChoiceField(choices=StudyState.choices)
    counts = serializers.DictField(child=serializers.IntegerField(), help_text="Runs by state")
    bad = serializers.IntegerField(help_text="Failed or stopped, or with something found on the picture")
    planned = serializers.IntegerField(help_text="Renders that the whole plan takes, warm-ups apart")
    lacking = serializers.IntegerField(help_text="Of these not rendered and not queued")
    besides_open = serializers.IntegerField(help_text="Pilots and references, which are no part of the plan")
    seconds_left = serializers.FloatField(allow_null=True)
    current_seconds_left = serializers.FloatField(allow_null=True)
    ahead = serializers.IntegerField(help_text="Runs of other studies that come first")
    stamp = serializers.CharField()
    running = RunSerializer(many=True)
    next = RunSerializer(allow_null=True, help_text="The next of its renders that waits")
    latest = RunSerializer(allow_null=True, help_text="Its newest picture, while more are to come")


class ViewPictureSerializer(serializers.Serializer):
    """A picture of a view."""

    picture = serializers.CharField(allow_blank=True)
    made_by = serializers.CharField(allow_blank=True)
    study = serializers.IntegerField(allow_null=True)


class BuildAtWorkSerializer(serializers.Serializer):
    """A version of an engine as it gave itself on a machine, from the runs that it made there."""

    engine = serializers.CharField()
    build = serializers.CharField()
    version = serializers.CharField()
    device = serializers.CharField()
    machine = serializers.CharField()
    runs = serializers.IntegerField()
    last = serializers.DateTimeField()


@extend_schema(responses=ProgressSerializer)
@api_view(["GET"])
@kept_answer(lambda pk: pk, seconds=PROGRESS_SECONDS)
def study_progress(request: Request, pk: int) -> Response:
    """Where the runs of a study stand, live."""
    study = get_object_or_404(Study, pk=pk)
    return Response(ProgressSerializer(_progress(study)).data)


@extend_schema(request=None, responses=CountSerializer)
@api_view(["POST"])
def stop_study(request: Request, pk: int) -> Response:
    """Stop all queued and running runs of a study."""
    return Response({"runs": stop_runs(Run.objects.filter(study=get_object_or_404(Study, pk=pk)))})


@extend_schema(request=SwitchSerializer, responses=StudySerializer)
@api_view(["POST"])
def remove_study(request: Request, pk: int) -> Response:
    """Remove a study and take its renders out of the queue, or bring it back; after a week it is gone for good."""
    actions.remove_study(get_object_or_404(Study, pk=pk), switched_on(request))
    return Response(StudySerializer(study_with_all(pk)).data)


@extend_schema(request=None, responses=CountSerializer)
@api_view(["POST"])
def bad_again(request: Request, pk: int) -> Response:
    """Queue again what failed, was stopped, or came out with something found on its picture."""
    return Response({"runs": run_bad_again(get_object_or_404(Study, pk=pk))})


@extend_schema(responses=RunDetailSerializer)
@api_view(["GET"])
def run(request: Request, pk: int) -> Response:
    """One run with its log."""
    return Response(RunDetailSerializer(_run(pk)).data)


@extend_schema(request=None, responses=CountSerializer)
@api_view(["POST"])
def stop_run(request: Request, pk: int) -> Response:
    """Stop one run."""
    return Response({"runs": stop_runs(Run.objects.filter(pk=_run(pk).pk))})


@extend_schema(request=None, responses=RunDetailSerializer)
@api_view(["POST"])
def again(request: Request, pk: int) -> Response:
    """Queue one ended run again."""
    run_again(_run(pk))
    return Response(RunDetailSerializer(_run(pk)).data)


@extend_schema(responses=BuildAtWorkSerializer(many=True))
@api_view(["GET"])
def builds_at_work(request: Request) -> Response:
    """Which versions have rendered on which machines, by the finished runs; renders from elsewhere apart."""
    runs = Run.objects.filter(state=RunState.FINISHED, study__from_elsewhere=False)
    rows = runs.values(
        engine=F("option__engine"), build=F("option__build"), version=F("engine_version"), device=F("option__device"),
        machine_named=F("machine_name"),
    )  # fmt: skip
    counted = rows.annotate(runs=Count("pk"), last=Max("ended_at")).order_by("engine", "-last")
    body = [{**row, "machine": row["machine_named"] or "not known"} for row in counted]
    return Response(BuildAtWorkSerializer(body, many=True).data)


@extend_schema(
    parameters=[OpenApiParameter(name, str, required=True) for name in ("scene", "view", "variant")],
    responses=ViewPictureSerializer,
)
@api_view(["GET"])
def picture_of_view(request: Request) -> Response:
    """The newest whole picture of a view that a study rendered; `picture` is empty when there is none."""
    asked = {name: request.query_params.get(name, "") for name in ("scene", "view", "variant")}
    runs = Run.objects.filter(
        state=RunState.FINISHED, option__setup__scene__name=asked["scene"], option__setup__view=asked["view"],
        option__setup__variant=asked["variant"], option__setup__crop__isnull=True,
    ).exclude(picture="")  # fmt: skip
    run = runs.select_related("option", "study").order_by("-option__setup__width", "-ended_at").first()
    row = {"picture": "", "made_by": "", "study": None}
    if run:
        row = {"picture": run.picture, "made_by": run.option.engine_title, "study": run.study_id}
    return Response(ViewPictureSerializer(row).data)


def _progress(study: Study) -> dict[str, Any]:
    """Counted by the database: a study may have thousands of runs, and this is asked several times a second."""
    runs = study.runs.order_by()
    counted = runs.filter(option__purpose=Purpose.COUNTED)
    counts = dict(counted.values_list("state").annotate(Count("pk")))
    telling = counted.exclude(ENDED_WARM_UP)
    states = dict(telling.values_list("state").annotate(Count("pk")))
    opened = list(
        runs.filter(state__in=OPEN_STATES).select_related("option", "study").defer("log", "command", "machine")
    )
    current, total = seconds_left(study, opened)
    planned = planned_renders(study)
    begun = counted.filter(warm_up=False, made_by=None).exclude(state__in=BAD_STATES).count()
    ended = runs.aggregate(last=Max("ended_at"), count=Count("pk"), let_go=Count("let_go_at"))
    return {
        "state": state_of(Counter(states), lacking=lacking_renders(study) > 0), "counts": counts, "planned": planned,
        "bad": telling.filter(BAD).count(), "lacking": max(planned - begun, 0),
        "seconds_left": total, "current_seconds_left": current, "ahead": _ahead(study, opened),
        "besides_open": sum(run.option.purpose in BESIDES for run in opened),
        "stamp": f"{ended['last']} {ended['count']} {ended['let_go']}",
        "running": [run for run in opened if run.state == RunState.RUNNING],
        "next": min((run for run in opened if run.state == RunState.QUEUED), key=_turn, default=None),
        "latest": _latest(runs) if opened else None,
    }  # fmt: skip


def _turn(run: Run) -> tuple[float, int]:
    return run.queued_order, run.pk


def _latest(runs: QuerySet[Run]) -> Run | None:
    ended = runs.filter(state=RunState.FINISHED).exclude(picture="").select_related("option", "study")
    return ended.defer("log", "command", "machine").order_by("-ended_at", "-pk").first()


def _ahead(study: Study, opened: list[Run]) -> int:
    """Runs of other studies that come before this one's, while none of its own is under way."""
    waiting = [run.queued_order for run in opened if run.state == RunState.QUEUED]
    if not waiting or len(waiting) < len(opened):
        return 0
    others = Run.objects.exclude(study=study)
    before = others.filter(state=RunState.QUEUED, queued_order__lt=min(waiting)).count()
    return before + others.filter(state=RunState.RUNNING).count()


def _run(pk: int) -> Run:
    return get_object_or_404(Run.objects.select_related("option", "study"), pk=pk)
