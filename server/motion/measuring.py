"""Measures sequences between renders, once all of their frames are there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from matchedpair.elsewhere import DISPLAY
from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures.drawn_zones import LEAVE_OUT, DrawnZone, measured_mask
from matchedpair.measures.sequence import Frames
from matchedpair.measures.sequence_report import VERSION, against_row, figure_row, refused_row, still_region
from matchedpair.pictures.filters import light_of
from matchedpair.pictures.picture import Floats, Mask

from server.catalogue.zones import signature, zones_by_view
from server.measuring.inputs import zone_mask, zones_to_measure
from server.measuring.reading import ENCODED
from server.measuring.which_reference import References
from server.motion.models import SequenceFigures
from server.motion.sequences import OptionSequence, sequences_of
from server.store.pixels import stored_picture
from server.studies.models import Study


def measure_sequences(studies: Sequence[int]) -> int:
    """Measure what changed of these studies' sequences. Returns how many zones were measured."""
    done = 0
    zones = zones_by_view()
    references = References()
    for study in Study.objects.filter(pk__in=studies, removed_at=None):
        for sequence in sequences_of(study):
            if sequence.complete:
                wanted = zones_to_measure(sequence.frames[0].facts.option.setup, zones)
                done += _measure(study, sequence, wanted, references_of(sequence, references))
    return done


@dataclass(frozen=True)
class ReferenceFrames:
    """Pictures of the reference by frame, and of its twin; both empty where a frame has none."""

    pictures: tuple[str, ...] = ()
    twins: tuple[str, ...] = ()


def references_of(sequence: OptionSequence, references: References) -> ReferenceFrames:
    """What a sequence can be compared with: a reference of exactly its setup for every frame, twins if all have one."""
    found = [references.of(frame.facts.option.setup) for frame in sequence.frames]
    if not all(found):
        return ReferenceFrames()
    rows = [row for row in found if row is not None]
    pictures, twins = tuple(row.picture for row in rows), tuple(row.twin for row in rows)
    if not all(twins):
        return ReferenceFrames(pictures)
    # the same seed means samples in common, which would hide error: then the twins are what is compared with
    seeds = {frame.run.seed for frame in sequence.frames if frame.run is not None}
    same = any(row.details.get("seeds", [None])[0] in seeds for row in rows)
    return ReferenceFrames(twins, pictures) if same else ReferenceFrames(pictures, twins)


def inputs_of(sequence: OptionSequence, references: ReferenceFrames) -> list[str]:
    """The pictures that the figures rest on."""
    against = ["against", *references.pictures, *references.twins] if references.pictures else []
    return [*sequence.pictures, *against]


def is_current(
    row: SequenceFigures, sequence: OptionSequence, within: list[DrawnZone], references: ReferenceFrames
) -> bool:
    """Whether figures belong to these pictures, these zones and this version of the method."""
    same = row.version == VERSION and row.area == signature(within)
    return same and bool(row.inputs == inputs_of(sequence, references))


def _measure(
    study: Study, sequence: OptionSequence, wanted: dict[str, list[DrawnZone]], references: ReferenceFrames
) -> int:
    rows = study.sequences.filter(key=sequence.key)
    rows.exclude(zone__in=wanted).delete()
    kept = {row.zone: row for row in rows}
    stale = {
        zone: within for zone, within in wanted.items()
        if zone not in kept or not is_current(kept[zone], sequence, within, references)
    }  # fmt: skip
    if not stale:
        return 0
    setup = sequence.frames[0].facts.option.setup
    described = setup.description()
    inputs = inputs_of(sequence, references)
    left_out = [each for each in next(iter(stale.values())) if each.kind == LEAVE_OUT]
    try:
        if any(frame.run is not None and frame.run.encoding == DISPLAY for frame in sequence.frames):
            raise RefusedError("sequence", ENCODED)
        pictures = [stored_picture(digest) for digest in sequence.pictures]
        size = (described.width, described.height)
        valid = [measured_mask(left_out, size, described.crop, picture.valid) for picture in pictures]
        in_all = np.asarray(np.logical_and.reduce(valid))
        light = [light_of(picture.pixels) for picture in pictures]
        frames = Frames(light, in_all)
        others = [[stored_picture(digest) for digest in digests] for digests in (references.pictures, references.twins)]
        held = [[light_of(picture.pixels) for picture in side] for side in others]
        for side in others:
            for index, picture in enumerate(side[: len(valid)]):
                valid[index] = valid[index] & picture.valid
    except (MatchedPairError, ValueError) as error:
        for zone, within in stale.items():
            _write(study, sequence, zone, within, inputs, None, f"the frames cannot be measured: {error}")
        return len(stale)
    for zone, within in stale.items():
        mask = zone_mask(setup, zone, within, np.ones_like(in_all))
        against = _against(light, held, mask, valid)
        try:
            figures = figure_row(frames.figure(still_region(mask, in_all)))
        except RefusedError as refusal:
            told = refused_row(refusal.reason) | against if against["reference"] else None
            _write(study, sequence, zone, within, inputs, told, refusal.reason)
        else:
            _write(study, sequence, zone, within, inputs, figures | against, "")
    return len(stale)


def _against(light: list[Floats], held: list[list[Floats]], zone: Mask, valid: list[Mask]) -> dict[str, object]:
    """What they are against the reference's frames, or why that cannot be told."""
    if not held[0]:
        return {"reference": None, "reference_refused": ""}
    try:
        found = against_row(light, held[0], held[1], zone, valid)
    except RefusedError as refusal:
        return {"reference": None, "reference_refused": refusal.reason}
    return {"reference": found, "reference_refused": ""}


def _write(
    study: Study, sequence: OptionSequence, zone: str, within: list[DrawnZone], inputs: list[str],
    figures: dict[str, object] | None, why: str,
) -> None:  # fmt: skip
    fields = {"figures": figures, "refused": why, "inputs": inputs, "area": signature(within), "version": VERSION}
    SequenceFigures.objects.update_or_create(study=study, key=sequence.key, zone=zone, defaults=fields)
