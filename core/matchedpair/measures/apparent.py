"""Pictures of different sizes at one apparent size: each is enlarged to the reference's size, as a screen does that
shows both equally large, and compared with the reference there.

A small picture with many samples loses its finest detail, a large one with few keeps its noise; the visible difference
from the reference holds both against each other in one unit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.detail import Detail
from matchedpair.measures.figure import Figure, mean_figure
from matchedpair.measures.light import Light, differing
from matchedpair.measures.region import Region
from matchedpair.measures.render import Viewing
from matchedpair.measures.visible import visible_maps
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import Floats, Mask

VERSION = 1
FINE_OCTAVES = 2
MOST_APART = 0.02  # of the shape: beyond, the two do not show the same


@dataclass(frozen=True)
class Apparent:
    """What an eye sees of a picture's difference from the reference at the reference's size, and the detail kept in its
    two finest octaves; None where the reference has none.
    """

    error: Figure
    detail: Figure | None


def at_apparent_size(
    pictures: Sequence[Floats], references: Sequence[Floats], counted: Mask, viewing: Viewing | None = None
) -> Apparent:
    """Hold pictures of any size against a reference.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (h, w, 3)
        Linear light, one a seed.
    references : sequence of ndarray, shape (H, W, 3)
        The reference, and its twin when there is one.
    counted : ndarray of bool, shape (H, W)

    Raises
    ------
    RefusedError
        When the two have another shape, or nothing counts.
    """
    seen = viewing or Viewing()
    height, width = references[0].shape[:2]
    rows, columns = pictures[0].shape[:2]
    if abs(columns / rows * height / width - 1) > MOST_APART:
        raise RefusedError("apparent", f"{columns}×{rows} and {width}×{height} do not show the same part of the scene")
    references = differing(references)
    enlarged = [_enlarged(picture, (width, height)) for picture in differing(pictures)]
    region = Region(counted)
    truth = np.asarray(np.mean(references, axis=0, dtype=np.float32))
    show = partial(display_light, transform=seen.transform, exposure=seen.exposure)
    maps = visible_maps([truth, *enlarged], show, seen.pixels_per_degree)
    error = mean_figure([region.mean(plane) for plane in maps], "ΔE", "reference", VERSION)
    octaves = Detail(Light(enlarged, counted), Light(references, counted)).octaves(region)[:FINE_OCTAVES]
    return Apparent(error, _mean([octave.kept for octave in octaves if octave.kept is not None]))


def _enlarged(picture: Floats, size: tuple[int, int]) -> Floats:
    if (picture.shape[1], picture.shape[0]) == size:
        return picture
    larger = cv2.resize(picture, size, interpolation=cv2.INTER_CUBIC)
    return np.asarray(np.maximum(larger, np.float32(0.0)))


def _mean(kept: Sequence[Figure]) -> Figure | None:
    """The octaves' mean; their intervals are taken as one, since both rest on the same edges."""
    if not kept:
        return None
    value = sum(each.value for each in kept) / len(kept)
    ends = [each.interval for each in kept if each.interval is not None]
    if len(ends) < len(kept):
        return Figure(value, "", None, "reference", VERSION)
    interval = (sum(low for low, _ in ends) / len(ends), sum(high for _, high in ends) / len(ends))
    return Figure(value, "", interval, "reference", VERSION)
