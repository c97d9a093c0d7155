"""Noise as a display shows it: the spread of one picture's code values, in percent of white."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import partial
from itertools import combinations

import numpy as np

from matchedpair.measures.figure import Figure
from matchedpair.measures.region import Region, block_error, root_interval
from matchedpair.pictures.filters import light_of
from matchedpair.pictures.picture import Floats
from matchedpair.pictures.srgb import code_values
from matchedpair.pictures.strips import in_strips

VERSION = 2


class SeenNoise:
    """√mean((V1 − V2)²/2) of the twins' sRGB code values of luminance after the view transform, 0 to 1.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear picture light of two or more seeds.
    display : callable
        Gives linear display light of picture light.
    """

    def __init__(self, pictures: Sequence[Floats], display: Callable[[Floats], Floats]) -> None:
        # variance of one picture at each pixel, shape (H, W)
        self.variance = in_strips(partial(_variance, display=display), pictures, reach=0)

    def figure(self, region: Region) -> Figure:
        """Noise as seen in a region, in percent of white."""
        mean, error = region.mean(self.variance), block_error(self.variance, region, 16)
        percent = 100 * math.sqrt(mean)
        return Figure(percent, "% of white", root_interval(mean, error) if mean > 0 else None, "twin", VERSION)


def _variance(*pictures: Floats, display: Callable[[Floats], Floats]) -> Floats:
    values = [code_values(light_of(display(pixels))) for pixels in pictures]
    squares = [np.square(first - second) for first, second in combinations(values, 2)]
    return np.asarray(sum(squares) * np.float32(0.5 / len(squares)), dtype=np.float32)
