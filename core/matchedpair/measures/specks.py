"""Whether what changed in a part of a picture lies in bright specks: light that few paths of an engine find.

An engine that finds such paths seldom shows them as single bright pixels, other ones with each seed; one that never
does is darker there on average, though to the eye it only lacks specks. So the part's change is read twice more: of a
median over 5 × 5 pixels, which no speck passes, and of what the first two seeds have in common at each pixel, where a
lamp stays that is as small as a speck. Both leave little of it where it lies in specks.
"""

from __future__ import annotations

import numpy as np

from matchedpair.measures.islands import Box
from matchedpair.measures.light import Light
from matchedpair.pictures.filters import median
from matchedpair.pictures.picture import Doubles, Floats, Mask

CALM, LASTING = 0.25, 0.5  # of the change, at most, by the median and by what seeds have in common
AROUND = 2  # pixels that the median reaches beyond a part


def in_specks(control: Light, trial: Light, box: Box) -> bool:
    """Whether the change of the box (x, y, width, height, in pixels) from one side to the other lies in bright specks.

    Not told of sides with less than two seeds.
    """
    if min(len(control.y), len(trial.y)) < 2:
        return False
    whole, calm, lasting = _reading(trial, box) - _reading(control, box)
    return bool(whole != 0.0 and calm / whole < CALM and lasting / whole < LASTING)


def _reading(light: Light, box: Box) -> Doubles:
    """Mean luminance of the box: as it is, by the median, and of what two seeds have in common."""
    x, y, width, height = box
    top, left = max(y - AROUND, 0), max(x - AROUND, 0)
    around = np.s_[top : y + height + AROUND, left : x + width + AROUND]
    inside = np.s_[y - top : y - top + height, x - left : x - left + width]
    counted = light.valid[around][inside]
    calm = [_mean(median(np.ascontiguousarray(plane[around]), 2 * AROUND + 1)[inside], counted) for plane in light.y]
    part = np.s_[y : y + height, x : x + width]
    common = np.minimum(light.y[0][part], light.y[1][part])
    return np.array([_mean(light.mean[part], counted), float(np.mean(calm)), _mean(common, counted)])


def _mean(plane: Floats, counted: Mask) -> float:
    return float(plane[counted].mean(dtype=np.float64)) if counted.any() else 0.0
