"""The answer to a study's question as the API gives it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from matchedpair.answers import Answer
from matchedpair.answers.answer import ACTS, NOTHING, SURE, UNSURE, VISIBLE_ERROR, VISIBLE_NOISE
from rest_framework import serializers


class ProofSerializer(serializers.Serializer):
    """Where a claim can be seen."""

    kind = serializers.ChoiceField(choices=["pair", "option", "curve", "reference"])
    pair = serializers.IntegerField(help_text="0 for none")
    options = serializers.ListField(child=serializers.IntegerField())
    zone = serializers.CharField(help_text="Empty for the whole picture")
    box = serializers.ListField(child=serializers.IntegerField(), allow_null=True, help_text="x, y, width, height")
    measure = serializers.ChoiceField(
        choices=[VISIBLE_NOISE, VISIBLE_ERROR], help_text="The figure of an option that the claim rests on"
    )


class ClaimSerializer(serializers.Serializer):
    """One sentence, and where it can be seen."""

    text = serializers.CharField()
    proof = ProofSerializer(allow_null=True)


class StepSerializer(serializers.Serializer):
    """The one thing that would settle what is open."""

    act = serializers.ChoiceField(choices=ACTS)
    words = serializers.CharField()
    options = serializers.ListField(child=serializers.IntegerField())
    seeds = serializers.IntegerField()
    seconds = serializers.FloatField(allow_null=True)
    quality = serializers.FloatField(allow_null=True, help_text="Of a reference that the answer asks to be rendered")


class StudyAnswerSerializer(serializers.Serializer):
    """The answer: a sentence, how sure it is, why, what speaks against it, and what to do next."""

    question = serializers.CharField()
    sentence = serializers.CharField()
    sure = serializers.ChoiceField(choices=[SURE, UNSURE, NOTHING])
    choice = serializers.IntegerField(help_text="The chosen option; 0 for none")
    because = ClaimSerializer(many=True)
    but = ClaimSerializer(many=True)
    next = StepSerializer(allow_null=True)
    shown = ProofSerializer(allow_null=True, help_text="The pair and place that show it best")


def answer_row(answer: Answer) -> dict[str, Any]:
    """An answer as plain values."""
    return asdict(answer)
