"""Measures what can be measured: options zone by zone, then the pairs they make. Done between renders."""

from __future__ import annotations

from base64 import b64decode, b64encode
from collections.abc import Sequence
from dataclasses import replace

from django.db import transaction
from django.db.models import Prefetch, QuerySet
from matchedpair.errors import RefusedError
from matchedpair.measures.drawn_zones import DrawnZone
from matchedpair.measures.figure import Figure, Ratio
from matchedpair.measures.kinds import KIND_OF, KINDS, Measured, measured
from matchedpair.measures.noise import NoiseFigure, noise_ratio, total_noise_ratio
from matchedpair.measures.places import Places
from matchedpair.measures.render import ZoneMeasures
from matchedpair.measures.visible import VisibleNoise, visible_noise_ratio
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.picture import Mask

from server.catalogue.zones import signature, zones_by_view
from server.measuring.comparing import compare_outstanding
from server.measuring.inputs import (
    counted_runs,
    has_open_runs,
    inputs_of,
    is_current,
    made_or_reason,
    zone_mask,
    zones_to_measure,
)
from server.measuring.models import Measure
from server.measuring.question_measures import measure_for_questions
from server.measuring.reading import render_measures
from server.measuring.which_reference import References
from server.references.models import Reference
from server.runs.models import Run
from server.studies.models import Option, Purpose

NOISE, VISIBLE_NOISE = "noise", "visible_noise"
OUTSIDE = "no pixel of the zone is in this picture"


def measure_outstanding(options: QuerySet[Option]) -> int:
    """Measure what changed of these options, their pairs, and what their questions need. Returns how many zones."""
    touched = list(options.values_list("pk", flat=True))
    zones = zones_by_view()
    return measure_options(touched) + compare_outstanding(touched, zones) + measure_for_questions(touched, zones)


def measure_options(options: Sequence[int]) -> int:
    """Measure what changed of these options. Returns how many zones were measured.

    A zone that moved is measured again alone; figures of zones that are gone are dropped. With renders still to come an
    option is measured once, when it has its first twins, and then when it has all.
    """
    done = 0
    zones, references = zones_by_view(), References()
    runs = Run.objects.defer("log", "command")
    rows = Option.objects.filter(pk__in=options).select_related("setup__scene")
    for option in rows.prefetch_related(Prefetch("runs", runs), "measures"):
        counted = [run for run in counted_runs(option) if run.picture]
        wanted = zones_to_measure(option.setup, zones)
        option.measures.exclude(zone__in=wanted).delete()
        if not counted or option.purpose != Purpose.COUNTED or _waits(option, counted):
            continue
        reference = references.of(option.setup)
        stale = {
            zone: within
            for zone, within in wanted.items()
            if not _zone_is_current(option, counted, reference, zone, within)
        }
        if stale:
            _write(option, counted, reference, stale)
            done += len(stale)
    return done


def noise_of(option: Option, zone: str = WHOLE, name: str = NOISE) -> Measure | None:
    """The option's noise (or visible noise) in a zone as it is stored, up to date or not."""
    return next((row for row in option.measures.all() if row.name == name and row.zone == zone), None)


def figure_of(measure: Measure) -> Figure | None:
    """The core's figure from a stored row; None when it was refused."""
    if measure.value is None:
        return None
    interval = None if measure.low is None or measure.high is None else (measure.low, measure.high)
    return Figure(measure.value, measure.unit, interval, measure.method, measure.version)


def noise_figure(measure: Measure) -> NoiseFigure | None:
    """The core's noise figure from a stored row; None when it was refused."""
    figure = figure_of(measure)
    if figure is None:
        return None
    error = measure.details.get("total_error")
    total = replace(figure, value=measure.details.get("total", figure.value))
    top = measure.details.get("top_share") or 0.0
    return NoiseFigure(figure, figure, total, tuple(error) if error else None, top, _places(measure))


def ratio_of(control: Measure | None, trial: Measure | None, *, total: bool = False) -> Ratio | None:
    """Noise of the trial over the control's, place by place, or of all pixels.

    Raises `RefusedError` with the reason when there is none to give.
    """
    if control is None or trial is None:
        return None
    for row in (control, trial):
        if row.refused:
            raise RefusedError("noise_ratio", row.refused)
    first, second = noise_figure(control), noise_figure(trial)
    if first is None or second is None:
        return None
    return total_noise_ratio(first, second) if total else noise_ratio(first, second)


def visible_ratio_of(control: Measure | None, trial: Measure | None) -> Ratio | None:
    """Visible noise of the trial over the control's, place by place. Raises `RefusedError`."""
    if control is None or trial is None:
        return None
    figures = []
    for row in (control, trial):
        figure = figure_of(row)
        if figure is None:
            raise RefusedError("visible_noise_ratio", row.refused)
        figures.append(VisibleNoise(figure, figure, figure.value, _places(row)))
    return visible_noise_ratio(*figures)


def _places(measure: Measure) -> Places | None:
    return unpacked(measure.places)


def unpacked(places: str) -> Places | None:
    """What each place reads, from a stored row; None for none. Raises `ValueError` for what is no such text."""
    return Places.unpack(b64decode(places, validate=True)) if places else None


def _waits(option: Option, counted: Sequence[Run]) -> bool:
    """Whether to wait for renders that are still to come: until the first twins are there, and then until all are."""
    if not has_open_runs(option):
        return False
    return len(counted) < 2 or any(row.name == NOISE and row.version for row in option.measures.all())


def _zone_is_current(
    option: Option, runs: Sequence[Run], reference: Reference | None, zone: str, within: list[DrawnZone]
) -> bool:
    there = {row.name: row for row in option.measures.all() if row.zone == zone}
    area = signature(within)
    return all(
        kind.name in there and is_current(there[kind.name], runs, area, reference)
        for kind in KINDS
        if reference is not None or not kind.by_reference
    )


def _write(
    option: Option, runs: Sequence[Run], reference: Reference | None, wanted: dict[str, list[DrawnZone]]
) -> None:
    """Measure these zones from one reading of the pictures."""
    first = next(iter(wanted.values()))
    measures, failed = made_or_reason(
        lambda: render_measures(option, runs, first, reference), f"option {option.pk} cannot be measured"
    )
    figures: dict[str, ZoneMeasures] = {}
    if measures is not None:
        valid = measures.light.valid

        def mask(zone: str) -> Mask:
            return zone_mask(option.setup, zone, wanted[zone], valid)

        inside = [zone for zone in wanted if mask(zone).any()]
        figures = dict(zip(inside, measures.zones(map(mask, inside)), strict=True))
    for zone, within in wanted.items():
        if zone in figures:
            rows = list(measured(figures[zone]))
        else:
            rows = [Measured(kind.name, None, failed or OUTSIDE) for kind in KINDS]
        with transaction.atomic():
            option.measures.filter(zone=zone, name__in=KIND_OF).delete()
            Measure.objects.bulk_create(
                _row(option, zone, signature(within), row, inputs_of(row.name, runs, reference))
                for row in rows
                if reference is not None or not KIND_OF[row.name].by_reference
            )


def _row(option: Option, zone: str, area: str, measured: Measured, inputs: list[str]) -> Measure:
    figure, kind = measured.figure, KIND_OF[measured.name]
    low, high = (figure.interval or (None, None)) if figure else (None, None)
    return Measure(
        option=option, name=measured.name, zone=zone, area=area, inputs=inputs, version=kind.version, unit=kind.unit,
        value=figure.value if figure else None, low=low, high=high, method=figure.method if figure else "",
        details=measured.details, refused=measured.refused, places=b64encode(measured.places).decode(),
    )  # fmt: skip
