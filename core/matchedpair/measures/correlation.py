"""How the noise of neighbouring pixels hangs together: which no figure shows, and every interval rests on.

The correlation of noise at each offset is got from the signs of the twins' difference, r = E[sign·sign'], as
ρ = sin(π/2·r) (the arcsine law of normal noise; Van Vleck & Middleton 1966). Signs know nothing of how strong the
noise is, so neither a scene whose noise is uneven nor a rare bright path moves it. From it follow

- how many pixels' worth of knowledge one pixel is: area = Σρ², which is 1 for independent pixels and 4π·s² for
  patches of radius s;
- what a place of a few pixels reads of noise whose spread is 1, and how far it scatters.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from scipy import fft

from matchedpair.pictures.picture import Doubles, Floats, Mask

REACH = 64  # pixels; noise that hangs together further than that is no longer told from the picture's
NEAR = 8  # offsets that are kept for places
TILE, MOST_TILES = 512, 4
DRAWS = 4000
SEED = 20


@dataclass(frozen=True)
class Correlation:
    """Correlation of one picture's noise by offset.

    Parameters
    ----------
    near : ndarray, shape (2·NEAR + 1, 2·NEAR + 1)
        ρ by offset in rows and columns, 0 in the middle.
    area : float
        Σρ² over all offsets in pixels, at least 1: variances of this noise are known from count / area pixels.
    seeds : int
        How many pictures each variance is got from.
    """

    near: Doubles
    area: float
    seeds: int

    @cached_property
    def _reading(self) -> dict[tuple[int, int], tuple[float, float]]:
        return {}

    @cached_property
    def _drawn(self) -> dict[int, Floats]:
        return {}

    def place_reading(self, side: int, trimmed: int) -> tuple[float, float]:
        """What a place of side × side pixels reads of normal noise of variance 1: the median, and the scatter of its
        logarithm, when its `trimmed` highest pixels are left out. Drawn at random from a fixed seed.
        """
        if (side, trimmed) not in self._reading:
            variances = self._variances(side)
            kept = side * side - trimmed
            read = np.partition(variances, kept - 1, axis=-1)[:, :kept].mean(axis=-1)
            low, middle, high = np.quantile(np.log(np.maximum(read, 1e-30)), (0.16, 0.5, 0.84))
            self._reading[side, trimmed] = float(np.exp(middle)), float(high - low) / 2
        return self._reading[side, trimmed]

    def _variances(self, side: int) -> Floats:
        """Of the pixels of many places of such noise, shape (DRAWS, side²). Drawn once a side."""
        if side in self._drawn:
            return self._drawn[side]
        rows, columns = (axis.ravel() for axis in np.mgrid[:side, :side])
        covariance = self.near[NEAR + rows[:, None] - rows, NEAR + columns[:, None] - columns]
        values, vectors = np.linalg.eigh((covariance + covariance.T) / 2)
        mixed = vectors * np.sqrt(np.maximum(values, 0.0))
        mixed /= np.sqrt(np.square(mixed).sum(axis=1, keepdims=True))
        drawn = _normal(self.seeds - 1, side * side) @ mixed.T.astype(np.float32)
        self._drawn[side] = np.square(drawn).mean(axis=0)
        return self._drawn[side]


@lru_cache(maxsize=8)
def _normal(many: int, pixels: int) -> Floats:
    """Independent normal noise, shape (many, DRAWS, pixels), always the same."""
    return np.random.default_rng(SEED).standard_normal((many, DRAWS, pixels), dtype=np.float32)


def correlation(differences: list[Floats], valid: Mask, seeds: int) -> Correlation:
    """Correlation of the noise from differences of seeds, each of shape (H, W), over valid pixels."""
    height, width = valid.shape
    reach = min(REACH, height // 4, width // 4)
    size = 2 * reach + 1
    above, below, pixels = np.zeros((size, size)), np.zeros((size, size)), 0.0
    for cut in _tiles(height, width):
        for difference in differences:
            signs = np.where(valid[cut], np.sign(difference[cut]), 0).astype(np.float32)
            counted = np.abs(signs)
            above += _overlap(signs, reach)
            below += _in_reach(counted.shape, reach) if counted.all() else _overlap(counted, reach)
            pixels += float(counted.sum(dtype=np.float64))
    if pixels < size:
        return Correlation(_unit(), 1.0, seeds)
    known = below > 0
    found = np.where(known, np.sin(np.pi / 2 * np.clip(above / np.where(known, below, 1.0), -1.0, 1.0)), 0.0)
    # each ρ² is too large by its own error, (π/2)²·area/pixels, so that the sum stands on both sides
    squares = float(np.square(found).sum())
    area = squares / (1 + (np.pi / 2) ** 2 * known.sum() / pixels)
    return Correlation(_near(found, reach), max(area, 1.0), seeds)


def _tiles(height: int, width: int) -> list[tuple[slice, slice]]:
    """The whole of a small picture, a few tiles of a large one."""
    if height * width <= MOST_TILES * TILE * TILE:
        return [(slice(0, height), slice(0, width))]
    tops, lefts = (np.linspace(0, max(side - TILE, 0), 2).astype(int) for side in (height, width))
    return [(slice(top, top + TILE), slice(left, left + TILE)) for top in tops for left in lefts]


def _overlap(plane: Floats, reach: int) -> Doubles:
    """Sums of products of a plane with itself moved by up to `reach` each way."""
    shape = tuple(fft.next_fast_len(side + reach, real=True) for side in plane.shape)
    spectrum = np.square(np.abs(fft.rfft2(plane, shape, workers=2)))
    whole = fft.irfft2(spectrum, shape, workers=2)
    rows, columns = (np.arange(-reach, reach + 1) % side for side in shape)
    return np.asarray(whole[np.ix_(rows, columns)], dtype=np.float64)


def _in_reach(shape: tuple[int, ...], reach: int) -> Doubles:
    """How many pixels of this shape lie over each other when moved by up to `reach` each way."""
    rows, columns = (side - np.abs(np.arange(-reach, reach + 1)) for side in shape)
    return np.outer(rows, columns).astype(np.float64)


def _near(found: Doubles, reach: int) -> Doubles:
    near = _unit()
    most = min(reach, NEAR)
    inner, outer = slice(NEAR - most, NEAR + most + 1), slice(reach - most, reach + most + 1)
    near[inner, inner] = found[outer, outer]
    near[NEAR, NEAR] = 1.0
    return near


def _unit() -> Doubles:
    near = np.zeros((2 * NEAR + 1, 2 * NEAR + 1))
    near[NEAR, NEAR] = 1.0
    return near
