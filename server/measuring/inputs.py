"""What figures rest on: counted runs, zones, the pictures themselves, and whether a stored row is up to date."""

from __future__ import annotations

import logging
from collections import OrderedDict
from collections.abc import Callable, Sequence
from hashlib import sha256
from threading import Lock
from typing import TypeVar

import numpy as np
from matchedpair.conditions import denoisers_on
from matchedpair.elsewhere import DISPLAY
from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures.drawn_zones import LEAVE_OUT, MEASURE, DrawnZone, measured_mask
from matchedpair.measures.kinds import KIND_OF
from matchedpair.measures.pair import PairMeasures
from matchedpair.measures.render import RenderMeasures, Viewing
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.picture import Floats, Mask
from matchedpair.plans.until_sure import MOST_SEEDS

from server.catalogue.engines import denoisers_of, has_twins
from server.measuring.models import Comparison, Measure
from server.measuring.which_reference import reference_pictures
from server.references.models import Reference
from server.runs.models import OPEN_STATES, Run, RunState
from server.store.pixels import stored_picture
from server.studies.models import Option, Pair, Setup

ENCODED = "the pictures are display-encoded; state their view transform to measure them"
MOST_PIXELS = 80_000_000  # of all pictures of an option held at once, four at least
LEAST_SEEDS = 4
ZonesByView = dict[tuple[str, str], list[DrawnZone]]
Made = TypeVar("Made")
Checked = tuple[tuple[str, ...], bytes]  # hashes of pictures, and of where they count
MOST_CHECKED = 4096
_twins: OrderedDict[Checked, str] = OrderedDict()
_lock = Lock()
log = logging.getLogger("server.measuring")


def counted_runs(option: Option) -> list[Run]:
    """The option's finished runs, warm-up and times without a picture apart, by seed."""
    return [run for run in timed_runs(option) if not run.time_alone]


def timed_runs(option: Option) -> list[Run]:
    """All its finished runs but for the warm-up, by seed: those that say how long it takes."""
    runs = [run for run in option.runs.all() if run.state == RunState.FINISHED and not run.warm_up]
    return sorted(runs, key=lambda run: run.seed)


def has_open_runs(option: Option) -> bool:
    """Whether renders that count, warm-up apart, are still to come."""
    return any(run.state in OPEN_STATES and not run.warm_up for run in option.runs.all())


def made_or_reason(make: Callable[[], Made], what: str) -> tuple[Made | None, str]:
    """What `make` gives, or None and why it was refused or failed; a failure is logged under `what`."""
    try:
        return make(), ""
    except RefusedError as refusal:
        return None, refusal.reason
    except MatchedPairError as error:
        log.warning("%s: %s", what, error)
        return None, str(error)


def zones_to_measure(setup: Setup, zones: ZonesByView) -> dict[str, list[DrawnZone]]:
    """By name what is measured on a setup's view: the whole and each measured zone, each with all that is left out."""
    within = zones.get((setup.scene.name, setup.view), [])
    left_out = [each for each in within if each.kind == LEAVE_OUT]
    return {WHOLE: left_out} | {each.name: [each, *left_out] for each in within if each.kind == MEASURE}


def inputs_of(name: str, runs: Sequence[Run], reference: Reference | None) -> list[str]:
    """The pictures that a measure rests on."""
    pictures = [run.picture for run in runs]
    return pictures + (reference_pictures(reference) if KIND_OF[name].uses_reference(alone=len(runs) < 2) else [])


def comparison_inputs(control: Sequence[Run], trial: Sequence[Run]) -> list[str]:
    """The pictures that a comparison rests on."""
    return [run.picture for run in control] + ["against"] + [run.picture for run in trial]


def is_current(measure: Measure, runs: Sequence[Run], area: str, reference: Reference | None = None) -> bool:
    """Whether a figure belongs to these runs, this reference, these zones and this version of the method."""
    kind = KIND_OF.get(measure.name)
    if kind is None or measure.version != kind.version or measure.area != area:
        return False
    return bool(measure.inputs == inputs_of(kind.name, runs, reference))


def comparison_is_current(row: Comparison, inputs: list[str], area: str) -> bool:
    """Whether a comparison belongs to these pictures, these zones and this version of the methods."""
    return bool(row.inputs == inputs and row.area == area and row.version == Comparison.VERSION)


def zone_mask(setup: Setup, zone: str, within: list[DrawnZone], valid: Mask) -> Mask:
    """The pixels of a zone in a setup's pictures; `within` begins with it."""
    if zone == WHOLE:
        return valid
    described = setup.description()
    return valid & within[0].mask((described.width, described.height), described.crop)


def render_measures(
    option: Option, runs: Sequence[Run], within: list[DrawnZone], reference: Reference | None
) -> RenderMeasures:
    """The core's measures of an option's pictures. Raises `RefusedError`, or `PictureError` when one is missing."""
    pixels, valid, digests = _pixels(option.setup, runs, within)
    judged = [stored_picture(digest) for digest in reference_pictures(reference)]
    measures = RenderMeasures(
        pixels, valid, references=[picture.pixels for picture in judged],
        reference_valid=np.logical_and.reduce([picture.valid for picture in judged]) if judged else None,
        viewing=Viewing(option.setup.view_transform), smoothed=_smoothed(option),
    )  # fmt: skip
    _remember(_key(digests, valid), measures.no_twins)
    return measures


def pair_measures(pair: Pair, within: list[DrawnZone]) -> PairMeasures:
    """The core's measures of a pair's pictures. Raises `RefusedError`, or `PictureError` when one is missing."""
    control, own, first = _pixels(pair.control.setup, counted_runs(pair.control), within)
    trial, valid, second = _pixels(pair.trial.setup, counted_runs(pair.trial), within)
    if valid.shape == own.shape:
        valid = valid & own
    keys = _key(first, valid), _key(second, valid)
    with _lock:
        checked = _twins.get(keys[0]), _twins.get(keys[1])
    viewing = Viewing(pair.control.setup.view_transform)
    measures = PairMeasures(control, trial, valid, viewing=viewing, checked=checked)
    for side, key in zip(("control", "trial"), keys, strict=True):
        _remember(key, measures.no_twins.get(side, ""))
    return measures


def _key(digests: Sequence[str], valid: Mask) -> Checked:
    """What the check that twins are twins rests on: a control is compared with many, and has been measured itself."""
    where = b"" if bool(valid.all()) else sha256(np.packbits(valid).tobytes()).digest()
    return tuple(digests), where


def _remember(key: Checked, problem: str) -> None:
    with _lock:
        _twins[key] = problem
        while len(_twins) > MOST_CHECKED:
            _twins.popitem(last=False)


def _pixels(setup: Setup, runs: Sequence[Run], within: list[DrawnZone]) -> tuple[list[Floats], Mask, list[str]]:
    """Pictures of an option's first seeds, where they count, and their hashes. Raises `RefusedError` or
    `PictureError`.
    """
    if any(run.encoding == DISPLAY for run in runs):
        raise RefusedError("noise", ENCODED)
    described = setup.description()
    width, height = described.picture_size
    seeds = max(LEAST_SEEDS, min(MOST_SEEDS, MOST_PIXELS // max(width * height, 1)))
    if runs and not has_twins(runs[0].option.engine):
        runs = runs[:1]  # the others are the same picture again, made for their time
    digests = [run.picture for run in runs[:seeds] if run.picture]
    pictures = [stored_picture(digest) for digest in digests]
    if not pictures:
        raise RefusedError("noise", "there is no finished render")
    if len({picture.size for picture in pictures}) > 1:
        raise RefusedError("noise", "the pictures differ in size")
    left_out = [each for each in within if each.kind == LEAVE_OUT]
    valid = np.logical_and.reduce([picture.valid for picture in pictures])
    valid = measured_mask(left_out, (described.width, described.height), described.crop, valid)
    return [picture.pixels for picture in pictures], valid, digests


def _smoothed(option: Option) -> str:
    """Why one picture of this option hides its noise; empty when nothing is known to smooth it."""
    on = denoisers_on(option.settings, denoisers_of(option.engine))
    return "a denoiser is on, so one picture hides its noise; render a twin" if on else ""
