"""Searches for matched pairs as the API gives them."""

from __future__ import annotations

from typing import Any

from matchedpair.measures.zones import WHOLE
from rest_framework import serializers

from server.searches.models import MatchedOn, Matching, MatchingState
from server.studies.models import AS_CONTROL


class NewMatchingSerializer(serializers.Serializer):
    """What to match to what."""

    control = serializers.IntegerField(help_text="Option")
    trial = serializers.IntegerField(help_text="Option")
    on = serializers.ChoiceField(choices=MatchedOn.choices)
    zone = serializers.CharField(default=WHOLE, max_length=80)
    knob = serializers.CharField(
        default="", max_length=40, allow_blank=True,
        help_text="A number among the trial's settings, such as a noise target; empty for its quality knob",
    )  # fmt: skip


class MatchingStepSerializer(serializers.Serializer):
    """One value of the knob that was tried."""

    quality = serializers.FloatField()
    option = serializers.IntegerField()
    figure = serializers.FloatField(allow_null=True)
    state = serializers.ChoiceField(choices=["there before", "pilot", "refined"])


class MatchingSerializer(serializers.Serializer):
    """A search for a matched pair, its steps, and what it found."""

    id = serializers.IntegerField()
    study = serializers.IntegerField()
    control = serializers.IntegerField()
    control_title = serializers.CharField()
    trial_title = serializers.CharField()
    on = serializers.ChoiceField(choices=MatchedOn.choices)
    zone = serializers.CharField()
    knob = serializers.CharField()
    state = serializers.ChoiceField(choices=MatchingState.choices)
    words = serializers.CharField()
    target = serializers.FloatField(allow_null=True)
    steps = MatchingStepSerializer(many=True)
    pair = serializers.IntegerField(allow_null=True)
    created_at = serializers.DateTimeField()


def matching_row(row: Matching, figures: dict[int, float | None], target: float | None) -> dict[str, Any]:
    """A search as plain values for `MatchingSerializer`."""
    return {
        "id": row.pk, "study": row.study_id, "control": row.control_id,
        "control_title": row.control.title or AS_CONTROL, "trial_title": row.trial.title or AS_CONTROL,
        "on": row.on, "zone": row.zone, "knob": row.knob.replace("_", " "), "state": row.state,
        "words": row.words, "target": target, "pair": row.pair_id, "created_at": row.created_at,
        "steps": [
            {
                "quality": each["quality"], "option": each["option"], "figure": figures.get(each["option"]),
                "state": "there before" if each["before"] else "refined" if each["refining"] else "pilot",
            }
            for each in row.tried
        ],
    }  # fmt: skip
