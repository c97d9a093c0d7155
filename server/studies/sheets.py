"""The match sheet as the API gives it."""

from __future__ import annotations

from typing import Any

from matchedpair.conditions import MatchSheet
from rest_framework import serializers

SHEET_STATES = ("held", "differs", "unknown", "under_test")
UNLIKE = ("differs", "under_test")


class RailConditionSerializer(serializers.Serializer):
    """One mark of the match rail; the two values only where they are not alike."""

    key = serializers.CharField()
    title = serializers.CharField()
    state = serializers.ChoiceField(choices=SHEET_STATES)
    control = serializers.CharField()
    trial = serializers.CharField()


class ConditionSerializer(RailConditionSerializer):
    """One condition of the match sheet; `spoils` says by time, noise and look what a difference spoils."""

    group = serializers.CharField()
    spoils = serializers.DictField(child=serializers.CharField())
    remains = serializers.CharField(help_text="What still compares where something is spoiled")
    note = serializers.CharField(help_text="What to keep in mind although nothing differs unasked")
    remedy = serializers.CharField(help_text="What would make it held; empty where no render would")


class MatchSheetSerializer(serializers.Serializer):
    """All conditions in their fixed order, and the overall sentence."""

    summary = serializers.CharField()
    fair = serializers.BooleanField()
    conditions = ConditionSerializer(many=True)


class MatchRailSerializer(serializers.Serializer):
    """A match sheet as far as its rail shows it, for lists of many."""

    summary = serializers.CharField()
    conditions = RailConditionSerializer(many=True)


def rail_row(sheet: MatchSheet) -> dict[str, Any]:
    """What the rail of a match sheet shows, as plain values."""
    return {
        "summary": sheet.summary,
        "conditions": [
            {"key": each.key, "title": each.title, "state": each.state}
            | ({"control": each.control, "trial": each.trial} if each.state in UNLIKE else {"control": "", "trial": ""})
            for each in sheet.conditions
        ],
    }


def sheet_row(sheet: MatchSheet) -> dict[str, Any]:
    """A match sheet as plain values."""
    return {
        "summary": sheet.summary,
        "fair": sheet.fair,
        "conditions": [vars(condition) for condition in sheet.conditions],
    }
