"""A sequence against a reference sequence: how far it is off, and how much of that changes from frame to frame.

E_t = (Y_t − R_t)/√(R_t² + eps²) with the reference's frame R_t, at most 1 either way: a lamp that is out and still
glows in a few pixels would otherwise be all that is told. error² is the mean of E² over pixels and frames, and
frame to frame² half the mean square of E_t − E_(t−1). Since each frame is compared with its own reference, what moves
in the picture is no error: this is the one figure here that may be read of moving cameras and objects, as far as what
moves is in the reference too. Noise of the reference is taken out by its twin; without one it is in both figures. Lower
is better.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.alignment import Landmarks, alignment
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from matchedpair.measures.sequence import EPS_SHARE, LEAST_FRAMES
from matchedpair.pictures.picture import Floats, Mask

MOST = 1.0  # of the reference's light, that one pixel counts for


@dataclass(frozen=True)
class SequenceError:
    """In percent; `by_frame` is each frame's own error. `twin` tells whether the reference's noise is taken out."""

    error_percent: float
    frame_to_frame_percent: float
    by_frame: tuple[float, ...]
    twin: bool


def sequence_error(
    frames: Sequence[Floats],
    references: Sequence[Floats],
    zone: Mask,
    valid: Sequence[Mask],
    *,
    reference_twins: Sequence[Floats] = (),
) -> SequenceError:
    """Hold every frame against its own reference.

    Parameters
    ----------
    frames, references : sequence of ndarray, shape (H, W)
        Luminance of linear light, as many of one as of the other, in step.
    zone : ndarray of bool, shape (H, W)
        The pixels asked about.
    valid : sequence of ndarray of bool, shape (H, W)
        Where each frame counts with its reference. These may differ, as of what moves over an empty background: each
        frame is judged where it counts, and what changes from one to the next where both do.
    reference_twins : sequence of ndarray, shape (H, W), optional
        The references with another seed. Of both it is the one with the same seed as the frames, where one has it: what
        a frame and its reference have of the same samples would hide error.

    Raises
    ------
    RefusedError
        With fewer than two frames, when the reference has more or fewer frames, when nothing counts in two frames, one
        after the other, or when the first, the middle or the last frame does not lie over its reference, or differs
        from it in sharpness, which only a twin tells.
    """
    if len(frames) < LEAST_FRAMES:
        raise RefusedError("sequence error", f"{len(frames)} frame is no sequence; give at least {LEAST_FRAMES}")
    if len(references) != len(frames) or (reference_twins and len(reference_twins) != len(frames)):
        raise RefusedError("sequence error", f"{len(frames)} frames need as many of the reference")
    showing = [index for index, own in enumerate(valid) if own.any()]
    for index in sorted({showing[at] for at in (0, len(showing) // 2, -1)} if showing else ()):
        _must_fit(index, frames[index], [each[index] for each in (references, reference_twins) if each], valid[index])
    regions = regions_of(zone, valid)
    if not any(regions):
        raise RefusedError("sequence error", "no valid pixel lies in this zone")
    bright = np.concatenate([reference[own][::7] for reference, own in zip(references, valid, strict=True)])
    eps = EPS_SHARE * float(bright.mean(dtype=np.float64)) if bright.size else 0.0
    squares, steps, own = [], [], []
    before, counted = None, []
    for index, (frame, reference) in enumerate(zip(frames, references, strict=True)):
        region = regions[index]
        if region is None:
            squares.append(0.0)
            own.append(0.0)
            before = None
            continue
        counted.append(index)
        twin = reference_twins[index] if reference_twins else reference
        level = (reference + twin) * np.float32(0.5)
        weight = valid[index] / np.sqrt(np.square(level) + np.float32(max(eps**2, 1e-30)))
        error = np.clip((frame - reference) * weight, -MOST, MOST, dtype=np.float32)
        squares.append(region.mean(np.square(error)))
        both: Region | None = (
            None if before is None else _of_both(zone, region, regions[index - 1], valid[index], valid[index - 1])
        )
        if before is not None and both is not None:
            steps.append(both.mean(np.square(error - before)) / 2.0)
        before = error
        noises = region.mean(np.square(np.clip((reference - twin) * weight, -MOST, MOST))) / 2.0
        own.append(noises if reference_twins else 0.0)
    noise = float(np.mean([own[index] for index in counted]))
    if not steps:
        raise RefusedError("sequence error", "no pixel of this zone counts in two frames, one after the other")
    by_frame = [max(square - less, 0.0) for square, less in zip(squares, own, strict=True)]
    return SequenceError(
        100.0 * math.sqrt(max(float(np.mean([squares[index] for index in counted])) - noise, 0.0)),
        100.0 * math.sqrt(max(float(np.mean(steps)) - noise, 0.0)),
        tuple(100.0 * math.sqrt(value) for value in by_frame),
        bool(reference_twins),
    )


def regions_of(zone: Mask, valid: Sequence[Mask]) -> list[Region | None]:
    """A zone where each frame counts; one for all of a run in which the same pixels do, and None where none does."""
    found: list[Region | None] = []
    for index, own in enumerate(valid):
        if index and (own is valid[index - 1] or np.array_equal(own, valid[index - 1])):
            found.append(found[-1])
            continue
        inside = zone & own
        found.append(Region(inside) if inside.any() else None)
    return found


def _of_both(zone: Mask, region: Region, other: Region | None, valid: Mask, before: Mask) -> Region | None:
    """Where a frame and the one before count."""
    if region is other:
        return region
    inside = zone & valid & before
    return Region(inside) if inside.any() else None


def _must_fit(index: int, frame: Floats, references: Sequence[Floats], valid: Mask) -> None:
    """Refuse what is not the same picture at the same place, and, as far as a twin tells, equally sharp."""
    if any(np.array_equal(frame, reference) for reference in references):
        return
    first, second = (Light([np.repeat(plane[..., None], 3, axis=2) for plane in side], valid) for side in
                     (references, [frame]))  # fmt: skip
    found = alignment(Landmarks(first), Landmarks(second))
    reason = found.shifted or found.filtered
    if reason:
        raise RefusedError("sequence error", f"frame {index} by place in the sequence: {reason}")
