"""Detail kept, octave by octave: how much of the reference's texture and edges the render still shows.

In each band between two blurs, T = Σ w·(I2_b·R1_b + I1_b·R2_b)/2 / Σ w·R1_b·R2_b with w = 1/(G8(R)² + eps²). Noise of
the render and of the reference averages out of these products, so that it does not move the figure; a seed is never
taken with the same seed of the other side, since these may have drawn the same noise. 1 = all kept; below,
it is smoothed away; above, sharpened. Without the reference's twin its own noise stays in the lower sum, and the
finest octaves may read too low.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from matchedpair.measures.figure import Figure
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region, ratio_error
from matchedpair.pictures.filters import FINEST_REACH, OCTAVES, coarser_bands, finest_bands, gauss
from matchedpair.pictures.picture import Floats
from matchedpair.pictures.strips import maps_in_strips

VERSION = 2
SIGMAS = OCTAVES[:5]
SURROUNDINGS = 8.0
BLOCK = 32
FAINT = 1e-4  # of the brightness: below, an octave is rounding and nothing else
MOST_UNSURE = 0.5  # half-width of the interval above which an octave holds nothing to judge by


@dataclass(frozen=True)
class Octave:
    """Detail of one size in pixels, and how much of it is kept; None when the reference has nothing of that size."""

    pixels: float
    kept: Figure | None


class Detail:
    """Products of render and reference in each band.

    Parameters
    ----------
    light, reference : Light
        The render's seeds, and the reference with its twin when there is one, in the order of their seeds.
    """

    def __init__(self, light: Light, reference: Light) -> None:
        weight = _weight(reference)
        renders, references = _crossed(light, reference)
        planes = [*renders, *references]
        products = partial(_products, count=len(renders))
        above, below, next_above, next_below, *halved = maps_in_strips(
            partial(_finest, products=products), [weight, *planes], FINEST_REACH
        )
        self._bands = [(0.0, 1, above, below), (SIGMAS[0], 2, next_above, next_below)]
        for parts in zip(*(coarser_bands(plane, SIGMAS[-1]) for plane in halved), strict=True):
            step = parts[0].step
            self._bands.append(
                (parts[0].sigma, step, *products(weight[::step, ::step], [part.plane for part in parts]))
            )

    def octaves(self, region: Region) -> tuple[Octave, ...]:
        """Detail kept in a region, finest octave first."""
        return tuple(_octave(*band, region) for band in self._bands)


def _weight(reference: Light) -> Floats:
    """1 / (G8(R)² + eps²), the blur made at a quarter of the size."""
    height, width = reference.shape
    small = cv2.resize(reference.mean, (max(width // 4, 1), max(height // 4, 1)), interpolation=cv2.INTER_AREA)
    level = cv2.resize(
        gauss(np.asarray(small, dtype=np.float32), SURROUNDINGS / 4), (width, height), interpolation=cv2.INTER_LINEAR
    )
    weight = 1 / (np.square(level) + np.float32(reference.eps**2))
    if not reference.all_valid:
        weight *= reference.valid
    return np.asarray(weight, dtype=np.float32)


def _crossed(light: Light, reference: Light) -> tuple[list[Floats], list[Floats]]:
    """The references, and for each of them, or for the last alone, the mean of the render's other seeds."""
    references, seeds = reference.y[:2], light.y
    if len(seeds) == 1:
        return list(seeds), references
    return [_mean_without(seeds, number) for number in range(len(references))], references


def _mean_without(seeds: Sequence[Floats], number: int) -> Floats:
    others = [plane for place, plane in enumerate(seeds) if place != number]
    return others[0] if len(others) == 1 else np.asarray(np.mean(others, axis=0, dtype=np.float32))


def _finest(weight: Floats, *planes: Floats, products: Callable[..., tuple[Floats, Floats]]) -> list[Floats]:
    """Products of the two finest bands, then the planes blurred for the coarser ones."""
    split = [finest_bands(plane) for plane in planes]
    first = products(weight, [finest for finest, _, _ in split])
    second = products(weight[::2, ::2], [band for _, band, _ in split])
    return [*first, *second, *(halved for _, _, halved in split)]


def _products(weight: Floats, parts: Sequence[Floats], *, count: int) -> tuple[Floats, Floats]:
    """The two products that are summed, of the render's bands, the first `count`, with the reference's."""
    renders, references = parts[:count], parts[count:]
    above = renders[-1] * references[-1]
    if count == 2:
        above += renders[0] * references[0]
        above *= np.float32(0.5)
    above *= weight
    below = references[0] * references[-1]
    below *= weight
    return above, below


def _octave(sigma: float, step: int, above: Floats, below: Floats, region: Region) -> Octave:
    pixels = 2 * sigma if sigma else SIGMAS[0]
    part = region.at(step)
    if part is None:
        return Octave(pixels, None)
    whole = part.mean(below) * part.count
    if whole <= FAINT**2 * part.count:
        return Octave(pixels, None)
    kept = part.mean(above) * part.count / whole
    error = ratio_error(kept, *(part.blocks(plane, max(BLOCK // step, 4)) for plane in (above, below)))
    if error is None:
        return Octave(pixels, Figure(kept, "", None, "reference", VERSION))
    if 1.96 * error > MOST_UNSURE:
        return Octave(pixels, None)
    return Octave(pixels, Figure(kept, "", (kept - 1.96 * error, kept + 1.96 * error), "reference", VERSION))
