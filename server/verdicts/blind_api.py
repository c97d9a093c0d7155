"""Blind tests: begin, answer round by round, and what they tell. What is asked never says which side is which."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from matchedpair.judging.blind import ANSWERS, LEAST_ROUNDS, MOST_ROUNDS, USUAL_ROUNDS, BlindResult
from matchedpair.measures.zones import WHOLE
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.catalogue.zones import zones_by_view
from server.measuring.inputs import zones_to_measure
from server.measuring.serializers import IntervalField
from server.pairs.pair import zone_box
from server.studies.models import Pair
from server.verdicts.blind import begin_test, end_test, give_answer, open_round, pair_results, test_result
from server.verdicts.models import BLIND_KIND_CHOICES, BlindTest
from server.verdicts.serializers import signed


class BlindResultSerializer(serializers.Serializer):
    """What answered rounds tell: right answers, or preferences for the trial, with a 95 % interval of their share."""

    kind = serializers.ChoiceField(choices=BLIND_KIND_CHOICES)
    rounds = serializers.IntegerField()
    count = serializers.IntegerField()
    interval = IntervalField()
    p = serializers.FloatField(help_text="Chance of a count this far from guessing")
    told = serializers.BooleanField()
    could_show = serializers.FloatField(allow_null=True, help_text="The smallest true share it could have shown")
    sentence = serializers.CharField()


class PersonResultSerializer(serializers.Serializer):
    """One person's answers to all tests of a kind."""

    author = serializers.CharField()
    result = BlindResultSerializer()


class BlindKindSerializer(serializers.Serializer):
    """All answers to one kind of test, together and by person."""

    kind = serializers.ChoiceField(choices=BLIND_KIND_CHOICES)
    together = BlindResultSerializer()
    people = PersonResultSerializer(many=True)


class OpenTestSerializer(serializers.Serializer):
    """A test that is not over."""

    id = serializers.IntegerField()
    kind = serializers.ChoiceField(choices=BLIND_KIND_CHOICES)
    author = serializers.CharField()
    answered = serializers.IntegerField()
    rounds = serializers.IntegerField()


class BlindSerializer(serializers.Serializer):
    """What blind tests tell of a pair, and those that could be gone on with."""

    results = BlindKindSerializer(many=True)
    open = OpenTestSerializer(many=True)


class NewBlindTestSerializer(serializers.Serializer):
    """A blind test to begin; without zones the whole picture is judged."""

    kind = serializers.ChoiceField(choices=BLIND_KIND_CHOICES)
    rounds = serializers.IntegerField(min_value=LEAST_ROUNDS, max_value=MOST_ROUNDS, default=USUAL_ROUNDS)
    zones = serializers.ListField(child=serializers.CharField(max_length=80, allow_blank=True), default=list)
    author = serializers.CharField(max_length=80)


class BlindRoundSerializer(serializers.Serializer):
    """A round as it is shown: two pictures, without saying whose they are."""

    number = serializers.IntegerField()
    zone = serializers.CharField()
    box = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    left = serializers.CharField(help_text="Content hash")
    right = serializers.CharField(help_text="Content hash")


class BlindTestSerializer(OpenTestSerializer):
    """A test with the round that waits, or its result once it is over."""

    pair = serializers.IntegerField()
    question = serializers.CharField()
    view_transform = serializers.CharField()
    answers = serializers.ListField(child=serializers.CharField())
    round = BlindRoundSerializer(allow_null=True)
    result = BlindResultSerializer(allow_null=True)


class BlindAnswerSerializer(serializers.Serializer):
    """An answer to a round."""

    number = serializers.IntegerField()
    answer = serializers.CharField(max_length=10)
    seconds = serializers.FloatField(min_value=0, allow_null=True, default=None)


@extend_schema(methods=["GET"], responses=BlindSerializer)
@extend_schema(methods=["POST"], request=NewBlindTestSerializer, responses={201: BlindTestSerializer})
@api_view(["GET", "POST"])
def blind(request: Request, pk: int) -> Response:
    """What blind tests tell of a pair; begin another."""
    pair = get_object_or_404(Pair.objects.select_related("control__setup__scene", "trial__setup__scene"), pk=pk)
    if request.method == "POST":
        form = NewBlindTestSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        test = begin_test(pair, **signed(request, form.validated_data))
        return Response(_row(test), status=status.HTTP_201_CREATED)
    results = [
        {
            "kind": row.kind, "together": asdict(row.together),
            "people": [{"author": name, "result": asdict(result)} for name, result in row.people],
        }
        for row in pair_results(pair)
    ]  # fmt: skip
    waiting = pair.blind_tests.filter(ended_at=None)
    return Response(BlindSerializer({"results": results, "open": [_short(test) for test in waiting]}).data)


@extend_schema(responses=BlindTestSerializer)
@api_view(["GET"])
def blind_test(request: Request, pk: int) -> Response:
    """A blind test with the round that waits."""
    return Response(_row(get_object_or_404(BlindTest, pk=pk)))


@extend_schema(request=BlindAnswerSerializer, responses=BlindTestSerializer)
@api_view(["POST"])
def answer(request: Request, pk: int) -> Response:
    """Answer the round that waits, and see the next."""
    test = get_object_or_404(BlindTest, pk=pk)
    form = BlindAnswerSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    give_answer(test, **form.validated_data)
    return Response(_row(get_object_or_404(BlindTest, pk=pk)))


@extend_schema(request=None, responses=BlindTestSerializer)
@api_view(["POST"])
def end(request: Request, pk: int) -> Response:
    """End a test before its last round; what is answered counts."""
    end_test(get_object_or_404(BlindTest, pk=pk))
    return Response(_row(get_object_or_404(BlindTest, pk=pk)))


def _short(test: BlindTest) -> dict[str, Any]:
    rounds = list(test.rounds.all())
    return {
        "id": test.pk, "kind": test.kind, "author": test.author, "answered": sum(bool(row.answer) for row in rounds),
        "rounds": len(rounds),
    }  # fmt: skip


def _row(test: BlindTest) -> dict[str, Any]:
    pair = test.pair
    waiting = open_round(test)
    to_measure = zones_to_measure(pair.control.setup, zones_by_view())
    shown = None
    if waiting:
        known = waiting.zone in to_measure and waiting.zone != WHOLE
        shown = {
            "number": waiting.number, "zone": waiting.zone, "left": waiting.left_picture,
            "right": waiting.right_picture, "box": zone_box(pair.control, to_measure, waiting.zone) if known else None,
        }  # fmt: skip
    result: BlindResult | None = test_result(test)
    body = _short(test) | {
        "pair": pair.pk, "question": pair.study.question, "view_transform": pair.control.setup.view_transform,
        "answers": list(ANSWERS[test.kind]), "round": shown, "result": asdict(result) if result else None,
    }  # fmt: skip
    return dict(BlindTestSerializer(body).data)
