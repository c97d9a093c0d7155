"""What figures rest on: counted runs, zones, the pictures themselves, and whether a stored row is up to date."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from typing import TypeVar

from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures.drawn_zones import LEAVE_OUT, MEASURE, DrawnZone
from matchedpair.measures.kinds import KIND_OF
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.picture import Mask

from server.catalogue.engines import denoisers_in
from server.measuring.models import Comparison, Measure
from server.measuring.which_reference import reference_pictures
from server.references.models import Reference
from server.runs.models import OPEN_STATES, Run, RunState
from server.studies.models import Option, Setup

ZonesByView = dict[tuple[str, str], list[DrawnZone]]
Made = TypeVar("Made")
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


def denoised_apart(one: Option, other: Option) -> bool:
    """Whether two options are denoised in different ways, so that their noise is not of one kind."""
    return denoisers_in(one.engine, one.settings) != denoisers_in(other.engine, other.settings)


def zone_mask(setup: Setup, zone: str, within: list[DrawnZone], valid: Mask) -> Mask:
    """The pixels of a zone in a setup's pictures; `within` begins with it."""
    if zone == WHOLE:
        return valid
    described = setup.description()
    return valid & within[0].mask((described.width, described.height), described.crop)
