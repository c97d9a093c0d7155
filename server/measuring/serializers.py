"""The measure table, comparisons and maps as the API gives them."""

from __future__ import annotations

from typing import Any

from matchedpair.answers.caveats import part_stops
from matchedpair.measures.layers import LAYER_OF
from rest_framework import serializers

from server.measuring.models import LayerState, MapLayer


class IntervalField(serializers.ListField):
    """Low and high end."""

    child = serializers.FloatField()


class ChangedPartSerializer(serializers.Serializer):
    """A part of the picture that changed."""

    box = serializers.ListField(child=serializers.IntegerField(), help_text="x, y, width, height in pixels")
    percent = serializers.FloatField(help_text="Of the mean of both sides")
    stops = serializers.SerializerMethodField()
    smallest_seen_percent = serializers.FloatField()

    def get_stops(self, part: dict[str, Any]) -> float:
        """The same change as it is told."""
        return part_stops(part["percent"])


class DifferentCellSerializer(ChangedPartSerializer):
    """A cell of the table of 12 × 8 that differs by itself."""

    row = serializers.IntegerField()
    column = serializers.IntegerField()
    z = serializers.FloatField()


class IslandSerializer(ChangedPartSerializer):
    """A part of the picture that changed more than what is around it, finer than a cell."""

    pixels = serializers.IntegerField()


class DifferenceSerializer(serializers.Serializer):
    """Whether there is a difference beyond noise, and the smallest that would have been seen."""

    found = serializers.BooleanField()
    overall_z = serializers.FloatField()
    smallest_seen_percent = serializers.FloatField()
    zones = DifferentCellSerializer(many=True)
    islands = IslandSerializer(many=True, default=list, help_text="The one seen most first")
    specks = serializers.ListField(
        child=serializers.ListField(child=serializers.IntegerField()),
        default=list,
        help_text="The boxes of those whose change lies in bright specks alone",
    )
    method = serializers.CharField()


class LookShiftSerializer(serializers.Serializer):
    """How the trial's brightness and colour lie off the control's."""

    stops = serializers.FloatField()
    interval = IntervalField(allow_null=True)
    delta_e = serializers.FloatField()
    delta_e_after_gain = serializers.FloatField()
    darkest_stops = serializers.FloatField(allow_null=True)
    brightest_stops = serializers.FloatField(allow_null=True)
    clamped_at = serializers.FloatField(allow_null=True)
    light_lost_percent = serializers.FloatField()


class VisibleSerializer(serializers.Serializer):
    """What an eye would see of the difference; noise counts, so the control's own stands beside it."""

    mean = serializers.FloatField()
    p95 = serializers.FloatField()
    above_1_percent = serializers.FloatField()
    above_3_percent = serializers.FloatField()
    pixels_per_degree = serializers.FloatField()
    own_noise_mean = serializers.FloatField(allow_null=True)


class ComparisonSerializer(serializers.Serializer):
    """What a pair says in a zone beyond its sides' own figures."""

    shift_pixels = serializers.FloatField(allow_null=True)
    difference = DifferenceSerializer(allow_null=True)
    look = LookShiftSerializer(allow_null=True)
    visible = VisibleSerializer(allow_null=True)
    refused = serializers.DictField(child=serializers.CharField())


class LayerSerializer(serializers.Serializer):
    """A map that can be laid over a picture, how it is drawn, and how far it is."""

    name = serializers.CharField()
    title = serializers.CharField()
    unit = serializers.CharField()
    about = serializers.CharField()
    scale = serializers.ChoiceField(choices=["even", "signed", "spots", "ratio"])
    state = serializers.ChoiceField(choices=LayerState.choices)
    picture = serializers.CharField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    refused = serializers.CharField()


class LayerKindSerializer(serializers.Serializer):
    """A map that can be asked for."""

    name = serializers.CharField()
    title = serializers.CharField()
    unit = serializers.CharField()
    of = serializers.ChoiceField(choices=["render", "pair"])
    scale = serializers.ChoiceField(choices=["even", "signed", "spots", "ratio"])
    about = serializers.CharField()


class MeasureKindSerializer(serializers.Serializer):
    """A measure, and what a screen says of it."""

    name = serializers.CharField()
    title = serializers.CharField()
    unit = serializers.CharField()
    better = serializers.CharField()
    layer = serializers.CharField()
    by_reference = serializers.BooleanField()
    about = serializers.CharField()


class MeasureCellSerializer(serializers.Serializer):
    """One figure of the table; `standing` is best, tie or empty, `why_not` says why it is not ranked."""

    value = serializers.FloatField(allow_null=True)
    interval = IntervalField(allow_null=True)
    method = serializers.CharField()
    refused = serializers.CharField()
    out_of_date = serializers.BooleanField()
    standing = serializers.ChoiceField(choices=["best", "tie", ""])
    why_not = serializers.CharField()
    found = serializers.BooleanField(allow_null=True, help_text="Whether blotches were found; null for other measures")


class MeasureRowSerializer(serializers.Serializer):
    """One option in one zone."""

    option = serializers.IntegerField()
    title = serializers.CharField()
    side = serializers.CharField()
    place = serializers.CharField(help_text="Scene, view and size")
    zone = serializers.CharField()
    pair = serializers.IntegerField(help_text="A pair that shows it; 0 for none")
    seeds = serializers.IntegerField()
    picture = serializers.CharField(help_text="Of its first seed, to look at; empty without")
    cells = serializers.DictField(child=MeasureCellSerializer())


class MeasureTableSerializer(serializers.Serializer):
    """Options by zones by measures."""

    kinds = MeasureKindSerializer(many=True)
    zones = serializers.ListField(child=serializers.CharField())
    reference = serializers.CharField(help_text="What the baseline is judged by; empty for nothing")
    rows = MeasureRowSerializer(many=True)


def layer_row(row: MapLayer) -> dict[str, Any]:
    """A map as plain values for `LayerSerializer`."""
    layer = LAYER_OF[row.name]
    return {
        "name": layer.name, "title": layer.title, "unit": layer.unit, "about": layer.about, "scale": layer.scale,
        "state": row.state, "picture": row.picture, "low": row.low, "high": row.high, "refused": row.refused,
    }  # fmt: skip
