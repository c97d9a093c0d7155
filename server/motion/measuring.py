"""Measures sequences between renders, once all of their frames are there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures.areas import LEAVE_OUT, Area, measured_mask
from matchedpair.measures.region import Region
from matchedpair.measures.sequence import VERSION, Frames
from matchedpair.measures.sequence_report import figure_row
from matchedpair.pictures.filters import light_of

from server.catalogue.zones import areas_by_view, signature
from server.findings.inputs import areas_to_measure, zone_mask
from server.motion.models import SequenceFigures
from server.motion.sequences import OptionSequence, sequences_of
from server.store.pixels import stored_picture
from server.studies.models import Study


def measure_sequences(studies: Sequence[int]) -> int:
    """Measure what changed of these studies' sequences. Returns how many zones were measured."""
    done = 0
    zones = areas_by_view()
    for study in Study.objects.filter(pk__in=studies, removed_at=None):
        for sequence in sequences_of(study):
            if sequence.complete:
                wanted = areas_to_measure(sequence.frames[0].facts.option.setup, zones)
                done += _measure(study, sequence, wanted)
    return done


def is_current(row: SequenceFigures, sequence: OptionSequence, areas: list[Area]) -> bool:
    """Whether figures belong to these pictures, this area and this version of the method."""
    return row.version == VERSION and row.area == signature(areas) and row.inputs == sequence.pictures


def _measure(study: Study, sequence: OptionSequence, wanted: dict[str, list[Area]]) -> int:
    rows = study.sequences.filter(key=sequence.key)
    rows.exclude(zone__in=wanted).delete()
    kept = {row.zone: row for row in rows}
    stale = {
        zone: areas for zone, areas in wanted.items()
        if zone not in kept or not is_current(kept[zone], sequence, areas)
    }  # fmt: skip
    if not stale:
        return 0
    setup = sequence.frames[0].facts.option.setup
    described = setup.description()
    left_out = [area for area in next(iter(stale.values())) if area.kind == LEAVE_OUT]
    try:
        pictures = [stored_picture(digest) for digest in sequence.pictures]
        valid = np.logical_and.reduce([picture.valid for picture in pictures])
        valid = measured_mask(left_out, (described.width, described.height), described.crop, valid)
        frames = Frames([light_of(picture.pixels) for picture in pictures], valid)
    except (MatchedPairError, ValueError) as error:
        for zone, areas in stale.items():
            _write(study, sequence, zone, areas, None, f"the frames cannot be measured: {error}")
        return len(stale)
    for zone, areas in stale.items():
        try:
            figures = figure_row(frames.figure(Region(zone_mask(setup, zone, areas, valid))))
        except RefusedError as refusal:
            _write(study, sequence, zone, areas, None, refusal.reason)
        else:
            _write(study, sequence, zone, areas, figures, "")
    return len(stale)


def _write(
    study: Study, sequence: OptionSequence, zone: str, areas: list[Area], figures: dict[str, object] | None, why: str
) -> None:
    fields = {
        "figures": figures, "refused": why, "inputs": sequence.pictures, "area": signature(areas), "version": VERSION,
    }  # fmt: skip
    SequenceFigures.objects.update_or_create(study=study, key=sequence.key, zone=zone, defaults=fields)
