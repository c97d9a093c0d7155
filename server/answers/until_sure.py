"""Adds seeds to studies that repeat until they are sure."""

from __future__ import annotations

from matchedpair.plans import UntilSure, needs_more
from matchedpair.plans.until_sure import NOISE

from server.answers.studies import answered_study
from server.runs.actions import add_seed
from server.runs.models import OPEN_STATES
from server.studies.models import Option, Study


def repeat_until_sure() -> int:
    """One more seed for the pairs that are not sure yet, once all that was queued is done. Returns how many renders."""
    queued = 0
    for study in Study.objects.exclude(until_sure=None).filter(removed_at=None, archived_at=None):
        runs = study.runs
        if not runs.exists() or runs.filter(state__in=OPEN_STATES).exists():
            continue
        rule = UntilSure(**study.until_sure)
        unsure: dict[int, Option] = {}
        for row in answered_study(study, now=True).pairs:
            ratio = row.noise_ratio if rule.on == NOISE else row.time_ratio
            seeds = min(len(row.control.runs), len(row.trial.runs))
            if seeds >= study.repeats and needs_more(rule, ratio, seeds):
                unsure |= {option.pk: option for option in (row.control.option, row.trial.option)}
        if unsure:
            queued += add_seed(study, list(unsure.values()))
    return queued
