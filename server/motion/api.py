"""Sequences of a study, frame by frame, with what was measured of them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.errors import InputError
from matchedpair.measures.sequence_report import STILL, lag_row
from matchedpair.measures.zones import WHOLE
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.zones import zones_by_view
from server.measuring.inputs import zones_to_measure
from server.measuring.which_reference import References
from server.motion.facts import light_changes
from server.motion.measuring import ReferenceFrames, is_current, references_of
from server.motion.models import SequenceFigures
from server.motion.sequences import BAD, NOT_RENDERED, THERE, TO_COME, OptionSequence, sequences_of
from server.references.actions import from_option
from server.studies.models import Study

HELD = "only what stands against the reference holds where things move"
MOVES = " Things move in the picture, and these figures hold that too; only a reference sequence tells it apart."
STRAYS = "strays least from the reference from frame to frame"


class MotionFrameSerializer(serializers.Serializer):
    """One frame of a sequence."""

    frame = serializers.IntegerField()
    option = serializers.IntegerField()
    run = serializers.IntegerField(allow_null=True)
    picture = serializers.CharField()
    state = serializers.ChoiceField(choices=[THERE, TO_COME, BAD, NOT_RENDERED])
    reason = serializers.CharField()
    mean = serializers.FloatField(allow_null=True, help_text="Mean luminance in the zone")
    spread_percent = serializers.FloatField(allow_null=True, help_text="How far it lies from the mean of all frames")


class AnswerSerializer(serializers.Serializer):
    """How a change of light is answered; `frame` is the first that differs, by its number in the scene."""

    frame = serializers.IntegerField()
    tau = serializers.FloatField()
    frames_to_90 = serializers.FloatField()
    at_once = serializers.BooleanField()
    change = serializers.FloatField()


class LagSerializer(serializers.Serializer):
    """How far a history lags behind the light, in frames, with 95 % intervals."""

    tau = serializers.FloatField()
    interval = serializers.ListField(child=serializers.FloatField(), min_length=2, max_length=2)
    frames_to_90 = serializers.FloatField()
    frames_to_90_interval = serializers.ListField(child=serializers.FloatField(), min_length=2, max_length=2)
    at_once = serializers.BooleanField(help_text="No lag can be told")


class BehindSerializer(serializers.Serializer):
    """The lag behind another sequence, or why it cannot be told."""

    lag = LagSerializer(allow_null=True)
    lag_refused = serializers.CharField(allow_blank=True)


class AgainstReferenceSerializer(BehindSerializer):
    """The error against a reference sequence, how much of it changes from frame to frame, and the lag behind it."""

    error_percent = serializers.FloatField()
    frame_to_frame_percent = serializers.FloatField()
    noise_taken_out = serializers.BooleanField(help_text="The reference's own, by its twin")


class MotionSerializer(serializers.Serializer):
    """One sequence with its figures in a zone."""

    key = serializers.CharField()
    title = serializers.CharField()
    control = serializers.BooleanField()
    frames = MotionFrameSerializer(many=True)
    gaps = serializers.ListField(child=serializers.IntegerField())
    flicker_percent = serializers.FloatField(allow_null=True)
    boiling_percent = serializers.FloatField(allow_null=True)
    boiling_share = serializers.FloatField(allow_null=True)
    frame_to_frame_percent = serializers.FloatField(allow_null=True)
    response = AnswerSerializer(allow_null=True)
    light_changes = serializers.BooleanField(help_text="By more than a tenth, and no single change explains it")
    moves = serializers.BooleanField(help_text="Things move in the picture, and the figures hold that too")
    reference = AgainstReferenceSerializer(allow_null=True)
    reference_refused = serializers.CharField(help_text="Why it cannot be compared with its reference")
    behind_control = BehindSerializer(allow_null=True, help_text="Where there is no reference to lag behind")
    has_reference = serializers.BooleanField(help_text="Every frame has a reference")
    lacks = serializers.CharField(help_text="Why there are no figures, or no full ones")


class StudyMotionSerializer(serializers.Serializer):
    """All sequences of a study."""

    sentence = serializers.CharField()
    zone = serializers.CharField()
    zones = serializers.ListField(child=serializers.CharField())
    sequences = MotionSerializer(many=True)
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    view_transform = serializers.CharField()
    note = serializers.CharField()


class ReferenceOfSerializer(serializers.Serializer):
    """Which sequence."""

    key = serializers.CharField(max_length=64)


class MadeReferencesSerializer(serializers.Serializer):
    """The references that were made, by frame."""

    references = serializers.ListField(child=serializers.IntegerField())


@extend_schema(parameters=[OpenApiParameter("zone", str)], responses=StudyMotionSerializer)
@api_view(["GET"])
def motion(request: Request, pk: int) -> Response:
    """The sequences of a study: frames, what is missing, flicker, boiling and the answer to a change of light."""
    study = get_object_or_404(Study.objects.select_related("setup__scene"), pk=pk)
    zone = request.query_params.get("zone") or WHOLE
    found = sequences_of(study)
    drawn = zones_by_view()
    zones = list(dict.fromkeys([
        WHOLE, *(name for row in found for name in zones_to_measure(row.frames[0].facts.option.setup, drawn)),
    ]))  # fmt: skip
    if zone not in zones:
        raise InputError(f"there is no zone {zone!r} on the views of this study; there are {', '.join(zones)}")
    references = References()
    rows = [_row(study, sequence, zone, drawn, references_of(sequence, references)) for sequence in found]
    _hold_against_control(rows)
    width, height = study.setup.description().picture_size
    body = {
        "sentence": _sentence(rows), "zone": zone, "zones": zones, "sequences": rows, "width": width, "height": height,
        "view_transform": study.setup.view_transform,
        "note": f"{STILL}; {HELD}" if any(row["reference"] for row in rows) else STILL,
    }  # fmt: skip
    return Response(StudyMotionSerializer(body).data)


@extend_schema(request=ReferenceOfSerializer, responses={201: MadeReferencesSerializer})
@api_view(["POST"])
def as_reference(request: Request, pk: int) -> Response:
    """Make every frame of a sequence the reference of its frame, with its twin where there is one."""
    study = get_object_or_404(Study, pk=pk)
    form = ReferenceOfSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    key = form.validated_data["key"]
    sequence = next((row for row in sequences_of(study) if row.key == key), None)
    if sequence is None:
        raise InputError("there is no such sequence in this study")
    if not sequence.complete:
        raise InputError("not all of its frames are there yet")
    title = f"{sequence.title[:1].upper()}{sequence.title[1:]}, {study.question}"[:200]
    with transaction.atomic():
        made = [from_option(frame.facts.option, title) for frame in sequence.frames]
    body = {"references": [row.pk for row in made]}
    return Response(MadeReferencesSerializer(body).data, status=status.HTTP_201_CREATED)


def _row(study: Study, sequence: OptionSequence, zone: str, drawn: Any, references: ReferenceFrames) -> dict[str, Any]:
    within = zones_to_measure(sequence.frames[0].facts.option.setup, drawn).get(zone, [])
    kept = SequenceFigures.objects.filter(study=study, key=sequence.key, zone=zone).first()
    current = kept if kept is not None and is_current(kept, sequence, within, references) else None
    figures: dict[str, Any] = (current.figures if current else None) or {}
    by_frame = figures.get("frames") or [{"mean": None, "spread_percent": None}] * len(sequence.frames)
    response = figures.get("response")
    if response:
        response = response | {"frame": sequence.frames[response["frame"]].number}
    return {
        "key": sequence.key, "title": sequence.title, "control": sequence.control, "gaps": sequence.gaps,
        "frames": [
            {
                "frame": frame.number, "option": frame.facts.option.pk, "run": frame.run.pk if frame.run else None,
                "picture": frame.run.picture if frame.run else "", "state": frame.state, "reason": frame.reason,
                **own,
            }
            for frame, own in zip(sequence.frames, by_frame, strict=True)
        ],
        **{
            name: figures.get(name)
            for name in ("flicker_percent", "boiling_percent", "boiling_share", "frame_to_frame_percent")
        },
        "response": response, "light_changes": light_changes(response, by_frame), "moves": bool(figures.get("moves")),
        "reference": figures.get("reference"),
        "reference_refused": figures.get("reference_refused", ""), "has_reference": bool(references.pictures),
        "lacks": _lacks(sequence, current),
    }  # fmt: skip


def _hold_against_control(rows: list[dict[str, Any]]) -> None:
    """Without a reference, how far each trial lags behind the control where both have the same frames."""
    control = next((row for row in rows if row["control"]), None)
    for row in rows:
        row["behind_control"] = None
        if control is None or row is control or row["reference"] or _numbers(row) != _numbers(control):
            continue
        means = [[frame["mean"] for frame in each["frames"]] for each in (row, control)]
        if None not in means[0] + means[1]:
            row["behind_control"] = lag_row(*means)


def _numbers(row: dict[str, Any]) -> list[int]:
    return [frame["frame"] for frame in row["frames"]]


def _lacks(sequence: OptionSequence, current: SequenceFigures | None) -> str:
    if not sequence.complete:
        counts = {
            state: sum(frame.state == state for frame in sequence.frames) for state in (BAD, TO_COME, NOT_RENDERED)
        }
        return ", ".join(f"{count} {state}" for state, count in counts.items() if count)
    if current is None:
        return "not measured yet"
    return current.refused


def _sentence(rows: list[dict[str, Any]]) -> str:
    if not rows:
        return "No sequence: vary the frame in the plan, and each option is measured over its frames."
    known = [row for row in rows if row["flicker_percent"] is not None or row["reference"] is not None]
    if not known:
        lacks = rows[0]["lacks"]
        why = lacks if lacks.startswith("not measured") else f"not measured yet: {lacks}"
        return f"{len(rows)} sequence{'' if len(rows) == 1 else 's'}, {why}."
    waiting = len(rows) - len(known)
    more = f" {waiting} of {len(rows)} are not measured yet." if waiting else ""
    more = _lagging(known) + more
    held = [row for row in known if row["reference"] is not None]
    still = [row for row in known if row["flicker_percent"] is not None]
    if held and not still and len(held) == 1:
        row = held[0]
        who = f"{row['title'][:1].upper()}{row['title'][1:]}"
        off = row["reference"]["frame_to_frame_percent"]
        return f"{who} strays {off:.3g} % from the reference from frame to frame.{more}"
    if len(held) > 1 or not still:
        return _least(held, lambda row: row["reference"]["frame_to_frame_percent"], STRAYS) + more
    if any(row["light_changes"] for row in known):
        return (
            "The light itself changes over these frames, and flicker holds that too: compare them with a reference "
            f"sequence to tell it apart.{more}"
        )
    least = _least(still, lambda row: row["flicker_percent"], "flickers least")
    return least + (MOVES if any(row["moves"] for row in known) else "") + more


def _least(rows: list[dict[str, Any]], figure: Callable[[dict[str, Any]], float], does: str) -> str:
    """Which row has the least of a figure, beside the control's."""
    calm = min(rows, key=figure)
    control = next((row for row in rows if row["control"]), None)
    said = f"{calm['title'][:1].upper()}{calm['title'][1:]} {does}, {figure(calm):.3g} %"
    return (
        f"{said}." if control is None or calm is control else f"{said} against the control's {figure(control):.3g} %."
    )


def _lagging(rows: list[dict[str, Any]]) -> str:
    """Which row lags furthest behind the light, when any does."""
    lags = [(row, (row["reference"] or row["behind_control"] or {}).get("lag")) for row in rows]
    late = [(row, lag) for row, lag in lags if lag and not lag["at_once"]]
    if not late:
        return ""
    row, lag = max(late, key=lambda each: each[1]["tau"])
    behind = "light" if row["reference"] else "control"
    return f" {row['title'][:1].upper()}{row['title'][1:]} lags {lag['frames_to_90']:.2g} frames behind the {behind}."
