"""Sequences as the core's answers take them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from statistics import fmean, stdev
from typing import Any

from django.db.models import Count, Max
from matchedpair.answers import SequenceFact, StudyFacts
from matchedpair.measures.zones import WHOLE
from matchedpair.plans.plan_kind import FRAME

from server.catalogue.zones import zones_by_view
from server.measuring.inputs import zones_to_measure
from server.measuring.which_reference import References
from server.motion.measuring import is_current, references_of
from server.motion.models import SequenceFigures
from server.motion.sequences import OptionSequence, sequences_of
from server.studies.models import Study

LIGHT_CHANGES = 0.1


def with_sequences(studies: Sequence[Study], facts: dict[int, StudyFacts], _: dict[int, Any]) -> dict[int, StudyFacts]:
    """The facts of the studies in which frames are a factor, with their sequences."""
    return {
        study.pk: replace(facts[study.pk], sequences=sequence_facts(study))
        for study in studies
        if FRAME in facts[study.pk].varied
    }


def sequence_facts(study: Study) -> tuple[SequenceFact, ...]:
    """The sequences of a study, measured or not; none where frames are no factor."""
    found = sequences_of(study)
    if not found:
        return ()
    drawn, references = zones_by_view(), References()
    rows = {row.key: row for row in SequenceFigures.objects.filter(study=study, zone=WHOLE)}
    facts = []
    for sequence in found:
        within = zones_to_measure(sequence.frames[0].facts.option.setup, drawn).get(WHOLE, [])
        kept = rows.get(sequence.key)
        current = kept is not None and is_current(kept, sequence, within, references_of(sequence, references))
        facts.append(_fact(sequence, (kept.figures or {}) if kept is not None and current else {}))
    return tuple(facts)


def sequence_stamps(studies: Sequence[Study]) -> dict[int, Any]:
    """By study what changes with its sequences' figures."""
    rows = SequenceFigures.objects.filter(study__in=studies).order_by("study")
    return {pk: row for pk, *row in rows.values_list("study").annotate(Count("pk"), Max("measured_at"))}


def _fact(sequence: OptionSequence, figures: dict[str, Any]) -> SequenceFact:
    """Its calm: what strays from the reference from frame to frame, else flicker; the interval is over the frames."""
    reference = figures.get("reference") or {}
    value = reference.get("frame_to_frame_percent", figures.get("flicker_percent"))
    option = sequence.frames[0].facts.option
    by_frame = reference.get("by_frame") or [frame["spread_percent"] for frame in figures.get("frames") or []]
    squares = [value**2 for value in by_frame if value]
    half = 1.0
    if len(squares) > 2:
        half = 1.96 * stdev(squares) / fmean(squares) / math.sqrt(len(squares)) / 2
    calm = None if value is None else (value, value * math.exp(-half), value * math.exp(half))
    lag = reference.get("lag")
    late = lag["frames_to_90"] if lag and not lag["at_once"] else None
    return SequenceFact(
        option.pk, sequence.title if not sequence.control else option.engine_title, len(sequence.frames),
        by_reference=bool(reference), calm=calm, boiling_share=figures.get("boiling_share"), lag=late,
        light_changes=light_changes(figures.get("response"), figures.get("frames") or []),
        by_frame=() if reference else tuple(value or 0.0 for value in by_frame),
        options=tuple(frame.facts.option.pk for frame in sequence.frames),
        errors=tuple(value or 0.0 for value in by_frame) if reference else (), moves=bool(figures.get("moves")),
    )  # fmt: skip


def light_changes(response: Any, by_frame: list[dict[str, Any]]) -> bool:
    """Whether the mean light moves by more than a tenth without one change that explains it."""
    means = [frame["mean"] for frame in by_frame if frame["mean"] is not None]
    return response is None and len(means) > 1 and max(means) - min(means) > LIGHT_CHANGES * max(means)
