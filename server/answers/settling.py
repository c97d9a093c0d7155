"""Carries out what would settle an open answer, where that is more renders or a render that is there."""

from __future__ import annotations

from dataclasses import replace

from django.db import transaction
from matchedpair.answers.answer import RENDER_REFERENCE, RUN, SEEDS, TAKE_REFERENCE, Step
from matchedpair.errors import InputError

from server.answers.studies import answered_study
from server.pairs.partners import as_side
from server.references.actions import from_option
from server.runs.actions import add_seed, queue_references, queue_study
from server.studies.actions import keep_variant
from server.studies.models import Option, Purpose, Study


@transaction.atomic
def settle(study: Study) -> int:
    """Queue the renders that the answer asks for, or take the one that it names as the reference. Returns how many
    were queued.

    Raises `InputError` where the answer asks for nothing, or for something that is no render.
    """
    step = answered_study(study, now=True).answer.next
    if step is None:
        raise InputError("the answer asks for no further renders")
    if step.act == RUN:
        return queue_study(study)
    options = list(study.options.filter(pk__in=step.options).select_related("setup__scene", "study"))
    if step.act == SEEDS:
        return sum(add_seed(study, options) for _ in range(step.seeds))
    if step.act == TAKE_REFERENCE:
        for option in options:
            from_option(option)
        return 0
    if step.act == RENDER_REFERENCE and step.quality is not None:
        return _render_references(study, sorted(options, key=lambda row: step.options.index(row.pk)), step)
    raise InputError("the answer asks for no further renders")


def _render_references(study: Study, bases: list[Option], step: Step) -> int:
    """Each of these again with far more samples, and its twin; the measurer takes them as references once they are
    there. Those that are there already, and were removed as references, are taken again.

    Raises `InputError` where one cannot be rendered any more.
    """
    made = []
    for base in bases:
        side = as_side(base)
        knob = side.engine.quality_knob
        if knob is None or step.quality is None:
            raise InputError(f"{base.engine_title} has no quality knob any more")
        value = knob.cleaned(round(step.quality) if knob.kind == "integer" else step.quality)
        side = replace(side, settings={**side.settings, knob.name: value})
        title = f"reference, {value:g} {knob.name.replace('_', ' ')}"
        made.append(keep_variant(base, side, title, control=base.control, purpose=Purpose.REFERENCE))
    queued = queue_references(study, made, step.seeds)
    if not queued:
        for option in made:
            from_option(option)
    return queued
