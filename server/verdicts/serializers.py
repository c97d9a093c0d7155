"""Verdicts, pins and criteria as the API gives and takes them."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from rest_framework import serializers
from rest_framework.request import Request

from server.verdicts.models import Chosen, Mark, Pin, Verdict


class VerdictSerializer(serializers.ModelSerializer):
    """What a person concluded; `older_figures` says why it no longer rests on what is there now."""

    chosen = serializers.ChoiceField(choices=Chosen.choices)
    marks = serializers.DictField(child=serializers.ChoiceField(choices=Mark.choices))
    older_figures = serializers.SerializerMethodField()

    class Meta:
        model = Verdict
        fields = [
            "id", "pair", "chosen", "reasons", "marks", "less_than_fair", "author", "sentence", "created_at",
            "older_figures",
        ]  # fmt: skip
        read_only_fields = fields

    def get_older_figures(self, verdict: Verdict) -> str:
        """Empty while its pictures and its sentence are those of now."""
        inputs, sentence = self.context.get("inputs"), self.context.get("sentence")
        if verdict.inputs and inputs is not None and verdict.inputs != inputs:
            return "its pictures are others by now"
        return "the sentence has changed since" if sentence and verdict.sentence != sentence else ""


def signed(request: Request, values: dict[str, Any]) -> dict[str, Any]:
    """In shared use what people conclude bears the name that they signed in with."""
    return values | {"author": request.user.get_username()} if settings.SHARED else values


class NewVerdictSerializer(serializers.Serializer):
    """A verdict to record."""

    chosen = serializers.ChoiceField(choices=Chosen.choices)
    reasons = serializers.CharField(max_length=4000)
    author = serializers.CharField(max_length=80)
    marks = serializers.DictField(
        child=serializers.ChoiceField(choices=Mark.choices), required=False, help_text="By the name of the criterion"
    )
    less_than_fair = serializers.CharField(max_length=4000, allow_blank=True, default="")


class CriteriaSerializer(serializers.Serializer):
    """What verdicts mark, in order."""

    criteria = serializers.ListField(child=serializers.CharField(max_length=60))
    version = serializers.CharField(read_only=True, help_text="Sent back with a change")


class PinSerializer(serializers.ModelSerializer):
    """A note at a place, in shares of the picture's width and height."""

    class Meta:
        model = Pin
        fields = ["id", "x", "y", "note", "author", "created_at"]
        read_only_fields = fields


class NewPinSerializer(serializers.Serializer):
    """A pin to put."""

    x = serializers.FloatField(min_value=0, max_value=1)
    y = serializers.FloatField(min_value=0, max_value=1)
    note = serializers.CharField(max_length=2000)
    author = serializers.CharField(max_length=80)


class PinNoteSerializer(serializers.Serializer):
    """Another text for a pin."""

    note = serializers.CharField(max_length=2000)
