"""What would make a pair matched: the partner that is missing, rendered at one click."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.db import transaction
from django.db.models import Max
from matchedpair.conditions import is_denoiser
from matchedpair.conditions.conditions import KIND_OF
from matchedpair.errors import InputError

from server.catalogue.engines import engine_named
from server.catalogue.scenes import scene_named
from server.pairs.pair import PairFigures
from server.runs.actions import must_be_ours, queue_options, run_again
from server.runs.models import ENDED_STATES
from server.studies.actions import keep_scene_setup
from server.studies.levels import level_shown, level_value
from server.studies.models import Option, Pair, Side
from server.studies.side import SideDraft

AGAIN = ("machine", "load", "warm_up")
SEEDS = "seeds"
OF_SETUP = {
    "view": ("view",), "frame": ("frame",), "size": ("width", "height", "crop"), "crop": ("crop",),
    "light": ("variant",), "quantities": ("quantities",), "format": ("output_format",),
}  # fmt: skip


@transaction.atomic
def mend(figures: PairFigures, condition: str) -> tuple[Pair, int]:
    """Queue what makes a condition held. Returns the pair that will be matched, and how many renders it takes.

    A control unlike its trial gets a partner: another option, as the control but for this condition. What was spoiled
    by the machine is rendered again on both sides.

    Raises `InputError` where nothing can be done about it.
    """
    pair = figures.pair
    row = next((row for row in figures.sheet.conditions if row.key == condition), None)
    if row is None or not row.remedy:
        title = KIND_OF[condition].title if condition in KIND_OF else condition
        raise InputError(f"{title}: no render would make this held")
    must_be_ours(pair.study)
    if condition in AGAIN:
        runs = [run for side in (figures.control, figures.trial) for run in side.runs if run.state in ENDED_STATES]
        for run in runs:
            run_again(run)
        return pair, len(runs)
    if condition == SEEDS:
        return pair, queue_options(pair.study, [pair.control, pair.trial])
    side = _like(pair, condition)
    partner = _partner(pair, side, f"{row.title.lower()} {row.trial}")
    made, _ = Pair.objects.get_or_create(
        control=partner, trial=pair.trial,
        defaults={"study": pair.study, "under_test": pair.under_test, "subject": pair.subject},
    )  # fmt: skip
    return made, queue_options(pair.study, [partner])


def _like(pair: Pair, condition: str) -> SideDraft:
    """The control with this condition as the trial has it."""
    control, trial = as_side(pair.control), as_side(pair.trial)
    if condition in OF_SETUP:
        changed: dict[str, Any] = {name: getattr(trial.setup, name) for name in OF_SETUP[condition]}
        return replace(control, setup=replace(control.setup, **changed))
    if condition == "version":
        return replace(control, build=trial.build)
    knob = control.knob
    if condition == "quality":
        return replace(control, settings={**control.settings, knob: trial.settings[knob]})
    denoisers = condition == "denoiser"
    copied = {
        name: value for name, value in trial.settings.items()
        if name not in (*pair.under_test, knob) and is_denoiser(name) == denoisers
    }  # fmt: skip
    return replace(control, settings={**control.settings, **copied})


def as_side(option: Option) -> SideDraft:
    """An option as it would be rendered now. Raises `InputError` when its scene or engine is another by now."""
    scene = scene_named(option.setup.scene.name)
    if scene.revision != option.setup.scene.revision:
        raise InputError(f"{scene.title} was changed since this was rendered; copy the study to render it anew")
    engine = engine_named(option.engine)
    setup = option.setup.description()
    return SideDraft(scene, setup, engine, engine.build(option.build), dict(option.settings), option.brightness)


def _partner(pair: Pair, side: SideDraft, what: str) -> Option:
    """The option that is rendered in this way: the one that is there, or a new one beside the control."""
    study, control = pair.study, pair.control
    key = side.key()
    there = study.options.filter(key=key).first()
    if there is not None:
        return there
    problems = side.unsupported(tuple(study.passes))
    if problems:
        raise InputError("; ".join(problems.values()))
    levels = [
        {**row, "value": level_value(side, row["subject"]), "shown": level_shown(side, row["subject"])}
        for row in control.levels
    ]
    last = study.options.aggregate(last=Max("number"))["last"] or 0
    return Option.objects.create(
        study=study, side=Side.CONTROL, number=last + 1, title=f"{control.title or 'as the control'}, {what}"[:300],
        levels=levels, key=key, setup=keep_scene_setup(side), engine=control.engine,
        engine_title=control.engine_title, build=side.build.name, device=side.build.device,
        quality_knob=control.quality_knob, settings=side.settings, brightness=control.brightness,
    )  # fmt: skip
