"""Measures what can be measured: an option's noise by zone, once two seeds are there. Done between renders."""

from __future__ import annotations

import logging
from collections.abc import Sequence

import numpy as np
from django.db.models import QuerySet
from matchedpair.elsewhere import DISPLAY
from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures import TwinNoise, noise_ratio
from matchedpair.measures.areas import LEAVE_OUT, MEASURE, Area, measured_mask
from matchedpair.measures.figure import Figure, Ratio
from matchedpair.measures.noise import VERSION, NoiseFigure
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.picture import Mask

from server.catalogue.zones import areas_by_view, signature
from server.findings.models import Measure
from server.runs.models import Run, RunState
from server.store.pixels import stored_picture
from server.studies.models import Option, Setup

NOISE = "noise"
ZonesByView = dict[tuple[str, str], list[Area]]
log = logging.getLogger("server.measuring")


def counted_runs(option: Option) -> list[Run]:
    """The option's finished runs, warm-up apart, by seed."""
    runs = [run for run in option.runs.all() if run.state == RunState.FINISHED and not run.warm_up]
    return sorted(runs, key=lambda run: run.seed)


def measure_outstanding(options: QuerySet[Option]) -> int:
    """Measure what changed of these options: other pictures, moved zones, an older method. Returns how many figures.

    A zone that moved is measured again alone; figures of zones that are gone are dropped.
    """
    done = 0
    zones = areas_by_view()
    for option in options.select_related("setup__scene").prefetch_related("runs", "measures"):
        runs = counted_runs(option)
        if len(runs) < 2:
            continue
        wanted = areas_to_measure(option.setup, zones)
        option.measures.filter(name=NOISE).exclude(zone__in=wanted).delete()
        stale = {
            zone: areas
            for zone, areas in wanted.items()
            if not ((kept := noise_of(option, zone)) and is_current(kept, runs, signature(areas)))
        }
        if stale:
            _write(option, runs, stale)
            done += len(stale)
    return done


def areas_to_measure(setup: Setup, zones: ZonesByView) -> dict[str, list[Area]]:
    """By name what is measured on a setup's view: the whole and each measured zone, each with all that is left out."""
    areas = zones.get((setup.scene.name, setup.view), [])
    left_out = [area for area in areas if area.kind == LEAVE_OUT]
    return {WHOLE: left_out} | {area.name: [area, *left_out] for area in areas if area.kind == MEASURE}


def noise_of(option: Option, zone: str = WHOLE) -> Measure | None:
    """The option's noise in a zone as it is stored, up to date or not."""
    return next((row for row in option.measures.all() if row.name == NOISE and row.zone == zone), None)


def is_current(measure: Measure, runs: Sequence[Run], area: str) -> bool:
    """Whether a figure belongs to these runs, this area and this version of the method."""
    same = measure.inputs == [run.picture for run in runs] and measure.area == area
    return same and measure.version == VERSION


def noise_figure(measure: Measure) -> NoiseFigure | None:
    """The core's figure from a stored row; None when it was refused."""
    if measure.value is None:
        return None
    interval = None if measure.low is None or measure.high is None else (measure.low, measure.high)
    figure = Figure(measure.value, measure.unit, interval, measure.method, measure.version)
    return NoiseFigure(figure, measure.details["top_share"], measure.details["variance_error"])


def ratio_of(control: Measure | None, trial: Measure | None) -> Ratio | None:
    """Noise of the trial over the control's. Raises `RefusedError` with the reason when there is none to give."""
    if control is None or trial is None:
        return None
    for row in (control, trial):
        if row.refused:
            raise RefusedError("noise_ratio", row.refused)
    first, second = noise_figure(control), noise_figure(trial)
    return noise_ratio(first, second) if first and second else None


def _write(option: Option, runs: Sequence[Run], wanted: dict[str, list[Area]]) -> None:
    """Measure these zones from one reading of the pictures."""
    inputs = [run.picture for run in runs]
    twins: TwinNoise | str
    try:
        twins, valid = _twins(option.setup, runs, wanted)
    except RefusedError as refusal:
        twins = refusal.reason
    except MatchedPairError as error:
        log.warning("option %s cannot be measured: %s", option.pk, error)
        twins = str(error)
    for zone, areas in wanted.items():
        row: dict[str, object] = {"value": None, "low": None, "high": None, "refused": ""}
        try:
            if isinstance(twins, str):
                raise RefusedError("noise", twins)
            row |= _figure_row(twins, _zone_mask(option.setup, zone, areas, valid))
        except RefusedError as refusal:
            row |= {"refused": refusal.reason}
        row |= {"inputs": inputs, "version": VERSION, "area": signature(areas)}
        Measure.objects.update_or_create(option=option, name=NOISE, zone=zone, defaults=row)


def _twins(setup: Setup, runs: Sequence[Run], wanted: dict[str, list[Area]]) -> tuple[TwinNoise, Mask]:
    if any(run.encoding == DISPLAY for run in runs):
        raise RefusedError("noise", "the pictures are display-encoded; state their view transform to measure them")
    pictures = [stored_picture(run.picture) for run in runs]
    if len({picture.size for picture in pictures}) > 1:
        raise RefusedError("noise", "the pictures differ in size")
    valid = np.logical_and.reduce([picture.valid for picture in pictures])
    areas = next(iter(wanted.values()))
    described = setup.description()
    valid = measured_mask(areas, (described.width, described.height), described.crop, valid)
    return TwinNoise([picture.pixels for picture in pictures], valid), valid


def _zone_mask(setup: Setup, zone: str, areas: list[Area], valid: Mask) -> Mask:
    if zone == WHOLE:
        return valid
    described = setup.description()
    mask = valid & areas[0].mask((described.width, described.height), described.crop)
    if not mask.any():
        raise RefusedError("noise", "no pixel of the zone is in this picture")
    return mask


def _figure_row(twins: TwinNoise, mask: Mask) -> dict[str, object]:
    figure = twins.figure(mask)
    low, high = figure.noise.interval or (None, None)
    return {
        "value": figure.noise.value, "unit": figure.noise.unit, "low": low, "high": high,
        "method": figure.noise.method, "refused": "",
        "details": {"top_share": figure.top_share, "variance_error": figure.variance_error},
    }  # fmt: skip
