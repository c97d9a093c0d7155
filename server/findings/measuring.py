"""Measures what can be measured: an option's noise, once two seeds are there. Done by the runner, between renders."""

from __future__ import annotations

import logging
from collections.abc import Sequence

import numpy as np
from django.db.models import QuerySet
from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures import TwinNoise, noise_ratio
from matchedpair.measures.figure import Figure, Ratio
from matchedpair.measures.noise import VERSION, NoiseFigure

from server.findings.models import Measure
from server.runs.models import Run, RunState
from server.store.pixels import stored_picture
from server.studies.models import Option

NOISE = "noise"
log = logging.getLogger("server.measuring")


def counted_runs(option: Option) -> list[Run]:
    """The option's finished runs, warm-up apart, by seed."""
    runs = [run for run in option.runs.all() if run.state == RunState.FINISHED and not run.warm_up]
    return sorted(runs, key=lambda run: run.seed)


def measure_outstanding(options: QuerySet[Option]) -> int:
    """Measure every one of these options whose pictures changed since, or whose method is older. Returns how many."""
    done = 0
    for option in options.prefetch_related("runs", "measures"):
        runs = counted_runs(option)
        kept = noise_of(option)
        if len(runs) < 2 or (kept and is_current(kept, runs)):
            continue
        _write(option, [run.picture for run in runs])
        done += 1
    return done


def noise_of(option: Option) -> Measure | None:
    """The option's noise as it is stored, up to date or not."""
    return next((row for row in option.measures.all() if row.name == NOISE), None)


def is_current(measure: Measure, runs: Sequence[Run]) -> bool:
    """Whether a figure belongs to these runs and this version of the method."""
    return measure.inputs == [run.picture for run in runs] and measure.version == VERSION


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


def _write(option: Option, inputs: list[str]) -> None:
    row: dict[str, object] = {"inputs": inputs, "version": VERSION, "value": None, "low": None, "high": None}
    try:
        pictures = [stored_picture(digest) for digest in inputs]
        valid = np.logical_and.reduce([picture.valid for picture in pictures])
        figure = TwinNoise([picture.pixels for picture in pictures], valid).figure(valid)
        low, high = figure.noise.interval or (None, None)
        row |= {
            "value": figure.noise.value, "unit": figure.noise.unit, "low": low, "high": high,
            "method": figure.noise.method, "refused": "",
            "details": {"top_share": figure.top_share, "variance_error": figure.variance_error},
        }  # fmt: skip
    except RefusedError as refusal:
        row |= {"refused": refusal.reason}
    except MatchedPairError as error:
        log.warning("option %s cannot be measured: %s", option.pk, error)
        row |= {"refused": str(error)}
    Measure.objects.update_or_create(option=option, name=NOISE, zone="whole", defaults=row)
