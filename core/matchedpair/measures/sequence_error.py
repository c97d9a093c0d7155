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
    region: Region,
    valid: Mask,
    *,
    reference_twins: Sequence[Floats] = (),
) -> SequenceError:
    """Hold every frame against its own reference.

    Parameters
    ----------
    frames, references : sequence of ndarray, shape (H, W)
        Luminance of linear light, as many of one as of the other, in step.
    valid : ndarray of bool, shape (H, W)
        Where all of them count.
    reference_twins : sequence of ndarray, shape (H, W), optional
        The references with another seed. Of both it is the one with the same seed as the frames, where one has it: what
        a frame and its reference have of the same samples would hide error.

    Raises
    ------
    RefusedError
        With fewer than two frames, when the reference has more or fewer frames, or when the first, the middle or the
        last frame does not lie over its reference, or differs from it in sharpness, which only a twin tells.
    """
    if len(frames) < LEAST_FRAMES:
        raise RefusedError("sequence error", f"{len(frames)} frame is no sequence; give at least {LEAST_FRAMES}")
    if len(references) != len(frames) or (reference_twins and len(reference_twins) != len(frames)):
        raise RefusedError("sequence error", f"{len(frames)} frames need as many of the reference")
    for index in sorted({0, len(frames) // 2, len(frames) - 1}):
        _must_fit(index, frames[index], [each[index] for each in (references, reference_twins) if each], valid)
    bright = np.concatenate([reference[valid][::7] for reference in references])
    eps = EPS_SHARE * float(bright.mean(dtype=np.float64)) if bright.size else 0.0
    squares, steps, own = [], [], []
    before = None
    for index, (frame, reference) in enumerate(zip(frames, references, strict=True)):
        twin = reference_twins[index] if reference_twins else reference
        level = (reference + twin) * np.float32(0.5)
        weight = valid / np.sqrt(np.square(level) + np.float32(max(eps**2, 1e-30)))
        error = np.clip((frame - reference) * weight, -MOST, MOST, dtype=np.float32)
        squares.append(region.mean(np.square(error)))
        if before is not None:
            steps.append(region.mean(np.square(error - before)) / 2.0)
        before = error
        if reference_twins:
            own.append(region.mean(np.square(np.clip((reference - twin) * weight, -MOST, MOST))) / 2.0)
    noise = float(np.mean(own)) if own else 0.0
    by_frame = [max(square - (own[index] if own else 0.0), 0.0) for index, square in enumerate(squares)]
    return SequenceError(
        100.0 * math.sqrt(max(float(np.mean(squares)) - noise, 0.0)),
        100.0 * math.sqrt(max(float(np.mean(steps)) - noise, 0.0)),
        tuple(100.0 * math.sqrt(value) for value in by_frame),
        bool(reference_twins),
    )


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
