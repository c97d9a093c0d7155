"""What studies and pairs say, as the API gives it."""

from __future__ import annotations

from dataclasses import asdict
from statistics import median
from typing import Any

from matchedpair.answers.answer import VISIBLE_ERROR, VISIBLE_NOISE
from matchedpair.errors import InputError
from matchedpair.measures.cost import time_basis
from matchedpair.measures.figure import Ratio
from matchedpair.measures.layers import LAYERS
from matchedpair.pictures.view_transform import view_transforms
from rest_framework import serializers

from server.answers.answer_serializers import StepSerializer, StudyAnswerSerializer
from server.measuring.models import Measure
from server.measuring.serializers import ComparisonSerializer, IntervalField, LayerKindSerializer
from server.pairs.brightness import brightness_problem
from server.pairs.pair import PairFigures, SideFigures, zone_box
from server.runs.progress import StudyState
from server.runs.serializers import RunSerializer
from server.store.serializers import KnownPyramidSerializer, known_pyramids
from server.studies.serializers import StudySerializer
from server.studies.sheets import MatchRailSerializer, MatchSheetSerializer, sheet_row
from server.verdicts.serializers import PinSerializer, VerdictSerializer


class FigureSerializer(serializers.Serializer):
    """One figure with its unit, spread and method; `refused` says why there is none.

    `interval` holds the two ends that `spread` names: a 95 % interval, or the range of the repeats.
    """

    value = serializers.FloatField(allow_null=True)
    unit = serializers.CharField()
    interval = IntervalField(allow_null=True)
    spread = serializers.ChoiceField(choices=["interval", "range", "none"])
    method = serializers.CharField()
    version = serializers.IntegerField()
    count = serializers.IntegerField()
    refused = serializers.CharField()


class PlaceSpreadSerializer(serializers.Serializer):
    """How a ratio varies over the places of a picture."""

    noisier = serializers.FloatField(
        help_text="Share of the picture, at least, in which the trial shows more by over 5 %, 0 to 1"
    )
    cleaner = serializers.FloatField(help_text="The same of where it shows less")
    tenth = serializers.FloatField()
    ninetieth = serializers.FloatField()
    places = serializers.IntegerField()
    quiet = serializers.IntegerField(help_text="Places in which neither side shows anything")


class RatioSerializer(serializers.Serializer):
    """Trial over control; `tie` when no difference can be told."""

    value = serializers.FloatField()
    interval = IntervalField(allow_null=True)
    method = serializers.CharField()
    version = serializers.IntegerField()
    tie = serializers.BooleanField()
    note = serializers.CharField()
    spread = PlaceSpreadSerializer(allow_null=True, help_text="Over the places of the picture, where it was got so")


class PairSideSerializer(serializers.Serializer):
    """The figures of one side."""

    noise = FigureSerializer(allow_null=True)
    visible_noise = FigureSerializer(allow_null=True)
    noise_top_share = serializers.FloatField(allow_null=True)
    out_of_date = serializers.BooleanField()
    render_seconds = FigureSerializer(allow_null=True)
    ready_seconds = FigureSerializer(allow_null=True)
    peak_memory_bytes = serializers.IntegerField(allow_null=True)
    lowest_quietness = serializers.FloatField(allow_null=True)
    runs = RunSerializer(many=True)


class ZoneFiguresSerializer(serializers.Serializer):
    """Noise in one zone."""

    zone = serializers.CharField()
    control = FigureSerializer(allow_null=True)
    trial = FigureSerializer(allow_null=True)
    ratio = RatioSerializer(allow_null=True)
    visible_ratio = RatioSerializer(allow_null=True)
    refused = serializers.CharField()
    box = serializers.ListField(child=serializers.IntegerField(), help_text="x, y, width, height in the pictures")
    comparison = ComparisonSerializer(allow_null=True)


class DiskSerializer(serializers.Serializer):
    """Bytes of a study's pictures in the store, by what could be let go."""

    counted = serializers.IntegerField()
    warm_ups = serializers.IntegerField(help_text="Warm-ups and pilots")
    old = serializers.IntegerField(help_text="Runs of options that are no longer in the plan")
    maps = serializers.IntegerField(help_text="Maps laid over pictures; made again when asked for")


class MatchedSerializer(serializers.Serializer):
    """What a search made the sides alike in, in which zone, and how well that came out."""

    on = serializers.CharField(help_text="noise or time")
    zone = serializers.CharField()
    words = serializers.CharField()


class PairSerializer(serializers.Serializer):
    """All that a pair says."""

    id = serializers.IntegerField()
    study = StudySerializer()
    subject = serializers.CharField()
    sentence = serializers.CharField()
    control_option = serializers.IntegerField()
    trial_option = serializers.IntegerField()
    control = PairSideSerializer()
    trial = PairSideSerializer()
    noise_ratio = RatioSerializer(allow_null=True)
    total_noise_ratio = RatioSerializer(allow_null=True)
    visible_noise_ratio = RatioSerializer(allow_null=True)
    time_ratio = RatioSerializer(allow_null=True)
    refused = serializers.DictField(child=serializers.CharField())
    zones = ZoneFiguresSerializer(many=True)
    comparison = ComparisonSerializer(allow_null=True, help_text="Null until the sides were compared")
    layers = LayerKindSerializer(many=True)
    view_transform = serializers.CharField(help_text="Empty when the study names none and there is no usual one")
    brightness_note = serializers.CharField(
        help_text="Why brightness cannot be brought together here; empty when it can"
    )
    match_sheet = MatchSheetSerializer()
    verdicts = VerdictSerializer(many=True)
    pins = PinSerializer(many=True)
    matched = MatchedSerializer(allow_null=True)
    pyramids = KnownPyramidSerializer(
        many=True, help_text="How the sides' pictures are cut up, of those whose tiles are there"
    )


class OverviewRowSerializer(serializers.Serializer):
    """One study in the list of studies."""

    id = serializers.IntegerField()
    question = serializers.CharField()
    asked = serializers.CharField(help_text="The kind of question")
    scene = serializers.CharField(help_text="With the view")
    scene_title = serializers.CharField()
    engines = serializers.ListField(child=serializers.CharField())
    from_elsewhere = serializers.BooleanField()
    state = serializers.ChoiceField(choices=StudyState.choices)
    runs_done = serializers.IntegerField()
    runs_planned = serializers.IntegerField()
    sentence = serializers.CharField()
    sure = serializers.ChoiceField(choices=["sure", "not sure yet", "nothing yet"])
    pair = serializers.IntegerField(help_text="The pair that shows the answer; 0 for none")
    options = serializers.IntegerField()
    archived = serializers.BooleanField()
    disk_bytes = serializers.IntegerField()
    match_rail = MatchRailSerializer(allow_null=True)
    chosen = serializers.ListField(child=serializers.CharField())
    thumbnail = serializers.CharField()
    proof = serializers.CharField(
        help_text="Changes with the pictures that show the answer; empty where there are none yet"
    )
    next = StepSerializer(allow_null=True)
    created_at = serializers.DateTimeField()
    ended_at = serializers.DateTimeField(allow_null=True, help_text="When the last render ended")
    gathered = serializers.BooleanField(
        default=True, help_text="Whether what it says is in this answer; ask again a moment later where it is not"
    )


class OverviewSerializer(serializers.Serializer):
    """All studies, newest first."""

    studies = OverviewRowSerializer(many=True)
    archived = serializers.IntegerField(help_text="How many are archived")


class PairSummarySerializer(serializers.Serializer):
    """One pair of a study in short."""

    pair = serializers.IntegerField()
    control = serializers.IntegerField(help_text="Option")
    trial = serializers.IntegerField(help_text="Option")
    subject = serializers.CharField()
    noise_ratio = RatioSerializer(allow_null=True)
    visible_noise_ratio = RatioSerializer(allow_null=True)
    time_ratio = RatioSerializer(allow_null=True)
    refused = serializers.DictField(child=serializers.CharField())
    fair = serializers.BooleanField()
    matched = MatchedSerializer(allow_null=True)
    ready = serializers.BooleanField(help_text="Both sides have a finished render")


class OptionFigureSerializer(serializers.Serializer):
    """A figure of an option with its interval."""

    value = serializers.FloatField()
    interval = IntervalField(allow_null=True)
    method = serializers.CharField()


class OptionSummarySerializer(serializers.Serializer):
    """One option of a study in short; what is not known is null."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    place = serializers.CharField()
    control = serializers.IntegerField(help_text="The option that it is compared with; 0 for a control")
    pair = serializers.IntegerField(help_text="With its control; 0 for none")
    seeds = serializers.IntegerField()
    open = serializers.BooleanField(help_text="Whether renders of it are still to come")
    seconds = OptionFigureSerializer(allow_null=True)
    noise = OptionFigureSerializer(allow_null=True, help_text="In percent, at a typical place")
    visible_noise = OptionFigureSerializer(allow_null=True, help_text="In ΔE")
    visible_error = OptionFigureSerializer(allow_null=True, help_text="In ΔE, from the reference")
    refused = serializers.DictField(child=serializers.CharField(), help_text="By figure why it is not known")
    why_not = serializers.CharField(help_text="Why its noise ranks among no others; empty where it does")
    picture = serializers.CharField(help_text="Empty for none")


class AnsweredStudySerializer(serializers.Serializer):
    """What a study says so far."""

    sentence = serializers.CharField()
    answer = StudyAnswerSerializer()
    match_sheet = MatchSheetSerializer(allow_null=True)
    pairs = PairSummarySerializer(many=True)
    options = OptionSummarySerializer(many=True)
    verdicts = VerdictSerializer(many=True)
    disk = DiskSerializer()


class ProofPictureSerializer(serializers.Serializer):
    """One picture that shows an answer, and the part of it: x, y, width, height in its own pixels."""

    title = serializers.CharField()
    picture = serializers.CharField()
    box = serializers.ListField(child=serializers.IntegerField(), min_length=4, max_length=4)
    seconds = serializers.FloatField(allow_null=True)
    value = serializers.FloatField(allow_null=True, help_text="In ΔE, of the measure that is told")
    option = serializers.IntegerField(help_text="0 for a reference")


class ProofPicturesSerializer(serializers.Serializer):
    """Pictures side by side, first the control."""

    pair = serializers.IntegerField(help_text="0 where they are none")
    part = serializers.BooleanField(help_text="Whether only a part is shown")
    place = serializers.CharField(allow_blank=True, help_text="Of several places the one that is shown")
    where = serializers.CharField(allow_blank=True, help_text="The zone that is shown")
    exposure = serializers.FloatField(help_text="In stops, of all of them")
    transform = serializers.CharField(allow_blank=True)
    measure = serializers.ChoiceField(choices=[VISIBLE_NOISE, VISIBLE_ERROR], help_text="What the answer rests on")
    sides = ProofPictureSerializer(many=True)
    reference = ProofPictureSerializer(allow_null=True, help_text="The same part of what both are judged by")


class StudyProofSerializer(serializers.Serializer):
    """What shows a study's answer; null before there is anything to show."""

    pictures = ProofPicturesSerializer(allow_null=True)


def pair_row(figures: PairFigures) -> dict[str, Any]:
    """A pair as plain values for `PairSerializer`."""
    pair = figures.pair
    # one basis for both, that of their ratio: a busy run on either side makes both be told in CPU seconds
    times = [*figures.control.times, *figures.trial.times]
    basis = time_basis(times)
    apart = all(each.render_seconds(basis) is not None for each in times)
    return {
        "id": pair.pk,
        "study": pair.study,
        "subject": pair.subject,
        "sentence": figures.sentence,
        "control_option": pair.control_id,
        "trial_option": pair.trial_id,
        "control": side_row(figures.control, basis, apart=apart),
        "trial": side_row(figures.trial, basis, apart=apart),
        "noise_ratio": ratio_row(figures.noise_ratio),
        "total_noise_ratio": ratio_row(figures.total_ratio),
        "visible_noise_ratio": ratio_row(figures.visible_ratio),
        "time_ratio": ratio_row(figures.time_ratio),
        "refused": figures.refused,
        "zones": [
            {
                "zone": row.zone,
                "control": _noise(row.control),
                "trial": _noise(row.trial),
                "ratio": ratio_row(row.ratio),
                "visible_ratio": ratio_row(row.visible_ratio),
                "refused": row.refused,
                "box": zone_box(figures.control.option, figures.control.zones, row.zone),
                "comparison": row.comparison,
            }
            for row in figures.zones
        ],
        "comparison": figures.comparison,
        "layers": [asdict(layer) for layer in LAYERS],
        "view_transform": _view_transform(figures.control.option.setup.view_transform),
        "brightness_note": brightness_problem(figures),
        "match_sheet": sheet_row(figures.sheet),
        "verdicts": pair.verdicts.filter(withdrawn_at=None),
        "pins": pair.pins.filter(removed_at=None),
        "matched": matched_row(figures),
        "pyramids": known_pyramids(
            run.picture for side in (figures.control, figures.trial) for run in side.runs if run.picture
        ),
    }


def _view_transform(name: str) -> str:
    """The one that is named, else the usual one: who shows the pair need not ask first which that is."""
    try:
        return name or view_transforms().default
    except InputError:
        return ""


def matched_row(figures: PairFigures) -> dict[str, Any] | None:
    """What it is matched on as plain values; None when no search made it."""
    matched = figures.matched
    return {"on": matched.on, "zone": matched.zone, "words": matched.words()} if matched else None


def side_row(side: SideFigures, basis: str, *, apart: bool) -> dict[str, Any]:
    """One side as plain values for `PairSideSerializer`, its times by ``wall`` or ``cpu``: of rendering alone where
    that is told `apart` from getting ready on both sides, else of the whole run, as they are compared.
    """
    memory = [run.peak_memory_bytes for run in side.runs if run.peak_memory_bytes is not None]
    ready = [t.ready_seconds for t in side.times if t.ready_seconds is not None]
    render = [(t.render_seconds(basis) if apart else None) or t.seconds(basis) for t in side.times]
    return {
        "noise": _noise(side.noise),
        "visible_noise": _noise(side.visible_noise),
        "noise_top_share": side.noise.details.get("top_share") if side.noise else None,
        "out_of_date": side.out_of_date,
        "render_seconds": _spread(render, basis if apart else f"whole {basis}"),
        "ready_seconds": _spread(ready, "wall"),
        "peak_memory_bytes": max(memory, default=None),
        "lowest_quietness": min((t.quietness for t in side.times if t.quietness is not None), default=None),
        "runs": side.runs,
    }


def _noise(row: Measure | None) -> dict[str, Any] | None:
    if row is None:
        return None
    interval = None if row.low is None else [row.low, row.high]
    return {
        "value": row.value,
        "unit": row.unit,
        "interval": interval,
        "spread": "interval" if interval else "none",
        "method": row.method,
        "version": row.version,
        "count": len(row.inputs),
        "refused": row.refused,
    }


def _spread(seconds: list[float], basis: str) -> dict[str, Any] | None:
    """Median of repeats with their range; a range is not an interval, and two repeats make no interval of their own."""
    if not seconds:
        return None
    return {
        "value": median(seconds),
        "unit": "s",
        "interval": [min(seconds), max(seconds)],
        "spread": "range",
        "method": basis,
        "version": 1,
        "count": len(seconds),
        "refused": "",
    }


def ratio_row(ratio: Ratio | None) -> dict[str, Any] | None:
    """A ratio as plain values."""
    return asdict(ratio) if ratio else None
