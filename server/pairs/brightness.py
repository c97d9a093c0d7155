"""Brings the brightness of two engines together, from the pair of test renders that shows both."""

from __future__ import annotations

import numpy as np
from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.brightness import BrightnessMatch, brightness_match
from matchedpair.measures.drawn_zones import measured_mask

from server.catalogue.engines import engine_named
from server.catalogue.models import BrightnessFactor, Zone
from server.catalogue.zones import zones_of
from server.pairs.pair import PairFigures
from server.store.pixels import stored_picture

WHOLE_PICTURE = "the whole picture"


def brightness_problem(figures: PairFigures) -> str:
    """Why the brightness of this pair's engines cannot be brought together; empty when it can."""
    control, trial = figures.control.option, figures.trial.option
    if control.engine == trial.engine:
        return "Both sides are rendered by the same engine."
    if control.setup.description() != trial.setup.description():
        return "The setups differ, so brightness may differ for other reasons."
    if not figures.control.runs or not figures.trial.runs:
        return "Both sides need a finished render first."
    try:
        if engine_named(trial.engine).cannot("brightness"):
            return f"{trial.engine_title}'s definition has no way to scale its light: add command.brightness to it."
    except InputError as error:
        return f"{error}; a factor can only be used for an engine of this installation."
    return ""


def bring_together(figures: PairFigures, zone: Zone | None) -> tuple[BrightnessFactor, BrightnessMatch]:
    """Compute the factor of the trial's engine on a zone, or the whole picture, and put it in force.

    Later renders of that engine have their light multiplied with it. What the trial was already multiplied with is
    taken in. Raises `RefusedError` with the reason.
    """
    problem = brightness_problem(figures)
    if problem:
        raise RefusedError("brightness", problem)
    control, trial = figures.control.option, figures.trial.option
    setup = control.setup.description()
    sides = [[stored_picture(run.picture) for run in side.runs] for side in (figures.control, figures.trial)]
    pictures = [picture for side in sides for picture in side]
    if len({picture.size for picture in pictures}) > 1:
        raise RefusedError("brightness", "the pictures differ in size")
    valid = np.logical_and.reduce([picture.valid for picture in pictures])
    within = [row.drawn() for row in zones_of(control.setup.scene.name, setup.view)]
    mask = measured_mask(within, (setup.width, setup.height), setup.crop, valid)
    if zone is not None:
        if (zone.scene, zone.view) != (control.setup.scene.name, setup.view):
            raise InputError(f"the zone {zone.name!r} is not on this pair's view")
        mask = mask & zone.drawn().mask((setup.width, setup.height), setup.crop)
    found = brightness_match(*([picture.pixels for picture in side] for side in sides), mask)
    before = trial.brightness["factor"] if trial.brightness else 1.0
    low, high = found.interval or (None, None)
    row = BrightnessFactor.objects.create(
        engine=trial.engine, relative_to=control.engine, factor=before * found.factor,
        low=None if low is None else before * low, high=None if high is None else before * high,
        spread_low=found.spread[0] if found.spread else None, spread_high=found.spread[1] if found.spread else None,
        zone=zone.name if zone else WHOLE_PICTURE, place=f"{setup.scene}, {setup.view}", pair=figures.pair.pk,
    )  # fmt: skip
    return row, found
