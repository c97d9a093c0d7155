"""Where in the picture a pair's difference is best seen: a part that is enlarged to show it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.ndimage import uniform_filter

from matchedpair.measures.places import Places
from matchedpair.pictures.picture import Floats

Box = tuple[int, int, int, int]
PART = 0.3  # of the width
LEAST_ACROSS = 96  # pixels
WORTH = 0.25  # ΔE of visible noise, by which two parts must differ to tell more than any other


def part_around(box: Box, size: tuple[int, int], part: float = PART) -> Box:
    """A part of the picture's shape around a box (x, y, width, height), as large as it must be, inside the picture."""
    width, height = size
    x, y, across, down = box
    wide = min(max(round(part * width), LEAST_ACROSS, across, round(down * width / max(height, 1))), width)
    high = min(max(round(wide * height / width), 1), height)
    left = min(max(x + across // 2 - wide // 2, 0), width - wide)
    top = min(max(y + down // 2 - high // 2, 0), height - high)
    return left, top, wide, high


def where_noise_differs(control: Places, trial: Places, size: tuple[int, int]) -> Box | None:
    """The part in which visible noise differs most; None where it differs nowhere by more than an eye could care for.

    Parameters
    ----------
    control, trial : Places
        Visible noise in ΔE.
    size : (int, int)
        Width and height of the pictures.
    """
    grids = [_grid(each) for each in (control, trial)]
    rows, columns = (min(grid.shape[axis] for grid in grids) for axis in (0, 1))
    first, second = (grid[:rows, :columns] for grid in grids)
    both = np.isfinite(first) & np.isfinite(second)
    if control.side != trial.side or not both.any():
        return None
    apart = np.where(both, np.abs(first - second), np.float32(0.0))
    _, _, wide, high = part_around((0, 0, 1, 1), size)
    window = (max(high // control.side, 1), max(wide // control.side, 1))
    spread = uniform_filter(apart, window, mode="constant")
    row, column = np.unravel_index(int(spread.argmax()), spread.shape)
    if spread[row, column] < WORTH:
        return None
    centre = (int(column) * control.side, int(row) * control.side, control.side, control.side)
    return part_around(centre, size)


def exposure_for(light: Sequence[Floats]) -> float:
    """Stops, in halves, that bring the bright parts of what is shown near white; 0 where it is bright enough.

    Parameters
    ----------
    light : sequence of ndarray
        Luminance of what is shown together, so that all of it gets one exposure.
    """
    bright = max(float(np.percentile(plane, 90)) for plane in light)
    if bright <= 0.0:
        return 0.0
    return float(np.clip(np.floor(2 * np.log2(0.6 / bright)) / 2, 0.0, 6.0))


def _grid(places: Places) -> Floats:
    """What each place reads, from the picture's own corner; not a number where none counts."""
    figures = np.exp(places.logs)
    return np.pad(figures, ((places.top, 0), (places.left, 0)), constant_values=np.nan)
