"""Carries out what would settle an open answer, where that is more renders."""

from __future__ import annotations

from django.db import transaction
from matchedpair.answers.answer import RUN, SEEDS
from matchedpair.errors import InputError

from server.answers.studies import answered_study
from server.runs.actions import add_seed, queue_study
from server.studies.models import Study


@transaction.atomic
def settle(study: Study) -> int:
    """Queue the renders that the answer asks for. Returns how many.

    Raises `InputError` where the answer asks for nothing, or for something that is no render.
    """
    step = answered_study(study, now=True).answer.next
    if step is None or step.act not in (SEEDS, RUN):
        raise InputError("the answer asks for no further renders")
    if step.act == RUN:
        return queue_study(study)
    options = list(study.options.filter(pk__in=step.options).select_related("setup__scene"))
    return sum(add_seed(study, options) for _ in range(step.seeds))
