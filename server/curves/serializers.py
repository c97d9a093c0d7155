"""Curves, what is the same, effects and searches as the API gives them."""

from __future__ import annotations

from math import log2
from typing import Any

from matchedpair.choose import Effect, Interaction
from matchedpair.curves import SameNoise, SameTime
from matchedpair.curves.table import curve_row, same_noise_row, same_time_row
from matchedpair.curves.words import curve_in_words
from rest_framework import serializers

from server.catalogue.engines import engines_now
from server.catalogue.fields import NamedSerializer
from server.curves.curves import Ladder, LadderPoint
from server.curves.effects import FactorEffects, StudyEffects
from server.curves.same import SameCell, SameRow, baseline_point
from server.measuring.serializers import IntervalField
from server.studies.models import Option


class CurvePointSerializer(serializers.Serializer):
    """One option on a curve; what it lacks to be on it stands in `lacks`."""

    option = serializers.IntegerField()
    title = serializers.CharField()
    quality = serializers.FloatField()
    seconds = serializers.FloatField(allow_null=True)
    ready_seconds = serializers.FloatField(allow_null=True)
    seconds_interval = IntervalField(allow_null=True)
    percent = serializers.FloatField(allow_null=True)
    percent_interval = IntervalField(allow_null=True)
    seeds = serializers.IntegerField()
    run = serializers.IntegerField(allow_null=True, help_text="Its first counted run")
    pair = serializers.IntegerField(help_text="A pair that shows it; 0 for none")
    control = serializers.BooleanField(help_text="Whether it is its place's control")
    lacks = serializers.CharField()


class CurveFitSerializer(serializers.Serializer):
    """percent² = a/N + floor², seconds = ready + per unit · N."""

    a = serializers.FloatField()
    floor_percent = serializers.FloatField()
    floor_interval = IntervalField()
    floor_found = serializers.BooleanField()
    ready_seconds = serializers.FloatField()
    seconds_per_unit = serializers.FloatField()
    slope = serializers.FloatField()
    slope_interval = IntervalField(allow_null=True)
    stops_paying_at = serializers.FloatField(allow_null=True)
    lowest = serializers.FloatField()
    highest = serializers.FloatField()
    follows_the_law = serializers.BooleanField()


class CurveSerializer(serializers.Serializer):
    """One option's ladder; `refused` says why no law was fitted."""

    key = serializers.CharField()
    title = serializers.CharField()
    place = serializers.CharField()
    knob = serializers.CharField()
    of_control = serializers.BooleanField()
    points = CurvePointSerializer(many=True)
    fit = CurveFitSerializer(allow_null=True)
    refused = serializers.CharField()
    words = serializers.ListField(child=serializers.CharField())


class SameNoiseSerializer(serializers.Serializer):
    """A control at one step, and the trial with as much noise."""

    at_quality = serializers.FloatField()
    noise_percent = serializers.FloatField()
    trial_quality = serializers.FloatField(allow_null=True)
    trial_seconds = serializers.FloatField(allow_null=True)
    speed_up = serializers.FloatField(allow_null=True)
    interval = IntervalField(allow_null=True)
    reachable = serializers.BooleanField(allow_null=True)
    tie = serializers.BooleanField()
    note = serializers.CharField()


class SameTimeSerializer(serializers.Serializer):
    """A control at one step, and the trial in as much time."""

    at_quality = serializers.FloatField()
    seconds = serializers.FloatField()
    trial_quality = serializers.FloatField(allow_null=True)
    trial_noise_percent = serializers.FloatField(allow_null=True)
    noise_ratio = serializers.FloatField(allow_null=True)
    interval = IntervalField(allow_null=True)
    tie = serializers.BooleanField()
    note = serializers.CharField()


class SameCellSerializer(serializers.Serializer):
    """One option at one place."""

    place = serializers.CharField()
    control_option = serializers.IntegerField(allow_null=True)
    trial_option = serializers.IntegerField(allow_null=True, help_text="Where a search for a matched pair begins")
    knobs = NamedSerializer(many=True, help_text="What a search may change: the quality knob first")
    same_noise = SameNoiseSerializer(allow_null=True)
    same_time = SameTimeSerializer(allow_null=True)
    lacks = serializers.CharField()
    shift = serializers.FloatField(allow_null=True, help_text="Stops brighter than the control, if more than chance")


class SameRowSerializer(serializers.Serializer):
    """One option at all places, and what it sums up to: worst and usual."""

    title = serializers.CharField()
    cells = SameCellSerializer(many=True)
    worst = serializers.FloatField(allow_null=True)
    worst_place = serializers.CharField()
    usual = serializers.FloatField(allow_null=True)
    words = serializers.CharField()


class CurvesSerializer(serializers.Serializer):
    """What a study's ladders say."""

    sentence = serializers.CharField()
    zone = serializers.CharField()
    of = serializers.ChoiceField(choices=["noise", "error"])
    zones = serializers.ListField(child=serializers.CharField())
    basis = serializers.CharField()
    machine = serializers.CharField()
    note = serializers.CharField()
    places = serializers.ListField(child=serializers.CharField())
    curves = CurveSerializer(many=True)
    crossings = serializers.ListField(child=serializers.CharField())
    same = SameRowSerializer(many=True)


class LevelEffectSerializer(serializers.Serializer):
    """What a level does against the baseline's: a ratio, or stops for look."""

    level = serializers.CharField()
    value = serializers.FloatField()
    interval = IntervalField()
    tie = serializers.BooleanField()
    over = serializers.IntegerField()


class FactorEffectsSerializer(serializers.Serializer):
    """One factor's effects on noise, time and look."""

    subject = serializers.CharField()
    title = serializers.CharField()
    baseline = serializers.CharField()
    noise = LevelEffectSerializer(many=True)
    time = LevelEffectSerializer(many=True)
    look = LevelEffectSerializer(many=True)


class InteractionSerializer(serializers.Serializer):
    """How far two levels together are from what each alone would give."""

    of = serializers.ChoiceField(choices=["noise", "time", "look"])
    first = serializers.CharField()
    second = serializers.CharField()
    value = serializers.FloatField()
    interval = IntervalField()
    tie = serializers.BooleanField()


class EffectsSerializer(serializers.Serializer):
    """Which setting matters, the strongest first; `table` tells whether the plan allows interactions."""

    factors = FactorEffectsSerializer(many=True)
    interactions = InteractionSerializer(many=True)
    table = serializers.BooleanField()


def ladder_row(ladder: Ladder, pairs: dict[int, int]) -> dict[str, Any]:
    """A ladder as plain values for `CurveSerializer`."""
    curve = ladder.curve
    return {
        "key": ladder.key, "title": ladder.title, "place": ladder.place, "knob": ladder.knob,
        "of_control": ladder.of_control, "points": [_point_row(row, pairs) for row in ladder.points],
        "fit": curve_row(curve) if curve else None, "refused": ladder.refused,
        "words": curve_in_words(curve, ladder.knob or "samples") if curve else [],
    }  # fmt: skip


def _point_row(row: LadderPoint, pairs: dict[int, int]) -> dict[str, Any]:
    option, point = row.facts.option, row.point
    return {
        "option": option.pk, "title": row.facts.title, "quality": row.quality,
        "seconds": point.seconds if point else None, "ready_seconds": point.ready_seconds if point else None,
        "seconds_interval": point.seconds_interval if point else None,
        "percent": point.noise_percent if point else None,
        "percent_interval": point.noise_interval if point else None, "seeds": len(row.facts.runs),
        "run": row.facts.runs[0].pk if row.facts.runs else None, "pair": pairs.get(option.pk, 0),
        "control": option.control_id is None, "lacks": row.lacks,
    }  # fmt: skip


def same_row(row: SameRow) -> dict[str, Any]:
    """An option as plain values for `SameRowSerializer`."""
    return {
        "title": row.title, "cells": [_cell_row(cell) for cell in row.cells], "worst": row.summed.worst,
        "worst_place": row.summed.worst_place, "usual": row.summed.usual, "words": row.summed.words,
    }  # fmt: skip


def _cell_row(cell: SameCell) -> dict[str, Any]:
    control = baseline_point(cell.control) if cell.control else None
    noise: SameNoise | None = cell.noise
    time: SameTime | None = cell.time
    return {
        "place": cell.place, "control_option": control.facts.option.pk if control else None,
        "trial_option": cell.trial.points[0].facts.option.pk, "knobs": _knobs(cell.trial.points[0].facts.option),
        "same_noise": same_noise_row(noise) if noise else None, "same_time": same_time_row(time) if time else None,
        "lacks": cell.lacks, "shift": cell.shift,
    }  # fmt: skip


def _knobs(option: Option) -> list[dict[str, str]]:
    """The numbers of its engine that buy less noise for more time; none when the engine is not here."""
    definition = next((each for each in engines_now()[0] if each.name == option.engine), None)
    rows = [each for each in definition.settings if each.kind in ("integer", "number")] if definition else []
    rows = [each for each in rows if each.quality_knob or {"noise", "time"} <= set(each.affects)]
    return [{"name": each.name, "title": each.title} for each in sorted(rows, key=lambda each: not each.quality_knob)]


def effects_row(found: StudyEffects) -> dict[str, Any]:
    """Effects as plain values for `EffectsSerializer`; those on look in stops."""
    levels = {factor.title: factor.levels for factor in found.factors}
    return {
        "factors": [_factor_row(factor) for factor in found.factors],
        "interactions": [
            {
                "of": name, "first": _level_words(found, levels, row, 0), "second": _level_words(found, levels, row, 1),
                **_amount(name, row),
            }
            for name, rows in found.interactions.items() for row in rows
            if all(found.subjects[place] in levels for place in row.factors)
        ],
        "table": found.table,
    }  # fmt: skip


def _level_words(found: StudyEffects, levels: dict[str, list[str]], row: Interaction, side: int) -> str:
    title = found.subjects[row.factors[side]]
    return f"{title[:1].lower()}{title[1:]} {levels[title][row.levels[side]]}"


def _factor_row(factor: FactorEffects) -> dict[str, Any]:
    return {
        "subject": factor.subject, "title": factor.title, "baseline": factor.levels[0],
        **{
            name: [
                {"level": factor.levels[row.level], "over": row.over, **_amount(name, row)} for row in rows
            ]
            for name, rows in factor.effects.items()
        },
    }  # fmt: skip


def _amount(name: str, row: Effect | Interaction) -> dict[str, Any]:
    low, high = row.interval
    if name != "look":
        return {"value": row.ratio, "interval": [low, high], "tie": row.tie}
    return {"value": log2(row.ratio), "interval": [log2(low), log2(high)], "tie": low <= 1.0 <= high}
