"""The factor that makes the brightness of a zone agree between two engines, from a pair of test renders."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.pictures.picture import Doubles, Floats, Mask, luminance

VERSION = 1
BLOCK = 16
LEAST_PIXELS = 64
EVEN = 1.15
PEAKS = 0.999


@dataclass(frozen=True)
class BrightnessMatch:
    """What to multiply the trial's light with so that the zone is as bright as the control's.

    Parameters
    ----------
    factor : float
        Mean luminance of the control over that of the trial, each cut at its 99.9th percentile.
    interval : tuple of float or None
        95 %, from the differences between seeds; None with one seed a side.
    spread : tuple of float or None
        10th and 90th percentile of the same ratio over blocks of 16×16 pixels: where it is wide, one factor cannot
        make the pictures agree everywhere. None in a zone of fewer than six blocks.
    stops : float
        The factor as stops.
    """

    factor: float
    interval: tuple[float, float] | None
    spread: tuple[float, float] | None
    stops: float
    version: int

    @property
    def even(self) -> bool:
        """Whether one factor does for the whole zone, as far as the blocks tell."""
        return self.spread is None or self.spread[1] / self.spread[0] <= EVEN


def brightness_match(control: Sequence[Floats], trial: Sequence[Floats], mask: Mask) -> BrightnessMatch:
    """Bring brightness together.

    Parameters
    ----------
    control, trial : sequence of ndarray, shape (H, W, 3)
        Linear light; one or more seeds a side, all of one size.
    mask : ndarray of bool, shape (H, W)
        The zone.

    Raises
    ------
    RefusedError
        When a side has no picture, sizes differ, the zone is too small, or a side is black in it.
    """
    pictures = [*control, *trial]
    if not control or not trial:
        raise RefusedError("brightness", "a side has no finished render")
    if any(picture.shape[:2] != mask.shape for picture in pictures):
        raise RefusedError("brightness", "the pictures differ in size")
    if int(mask.sum()) < LEAST_PIXELS:
        raise RefusedError("brightness", f"the zone has fewer than {LEAST_PIXELS} pixels")
    left, right = (_without_peaks([luminance(picture) for picture in side], mask) for side in (control, trial))
    means = [np.array([float(y[mask].mean()) for y in side]) for side in (left, right)]
    if means[0].mean() <= 0.0 or means[1].mean() <= 0.0:
        raise RefusedError("brightness", "a side is black in this zone; choose a zone that is lit in both")
    factor = float(means[0].mean() / means[1].mean())
    return BrightnessMatch(
        factor, _interval(factor, left, right, mask), _spread(left, right, mask), float(np.log2(factor)), VERSION
    )


def _without_peaks(side: list[Doubles], mask: Mask) -> list[Doubles]:
    """Values above the 99.9th percentile of the zone, cut there: a visible lamp or a firefly would rule the mean."""
    limit = float(np.quantile(np.concatenate([y[mask] for y in side]), PEAKS))
    return [np.minimum(y, limit) for y in side]


def _interval(factor: float, left: list[Doubles], right: list[Doubles], mask: Mask) -> tuple[float, float] | None:
    """From the seeds' differences in blocks: the variance of a side's mean, relative, is that of its blocks summed."""
    if len(left) < 2 or len(right) < 2:
        return None
    variance = 0.0
    for side in (left, right):
        difference = (side[0] - side[1])[mask] / 2.0
        blocks = [part.sum() for part in np.array_split(difference, max(len(difference) // (BLOCK * BLOCK), 8))]
        mean = np.mean([y[mask].mean() for y in side])
        variance += float(np.sum(np.square(blocks))) / (len(difference) * mean) ** 2
    reach = 1.96 * variance**0.5
    return factor * (1.0 - reach), factor * (1.0 + reach)


def _spread(left: list[Doubles], right: list[Doubles], mask: Mask) -> tuple[float, float] | None:
    control, trial = np.mean(left, axis=0), np.mean(right, axis=0)
    ratios = []
    for row in range(0, mask.shape[0], BLOCK):
        for column in range(0, mask.shape[1], BLOCK):
            at = np.s_[row : row + BLOCK, column : column + BLOCK]
            inside = mask[at]
            if inside.sum() >= BLOCK * BLOCK // 2 and trial[at][inside].mean() > 0.0:
                ratios.append(float(control[at][inside].mean() / trial[at][inside].mean()))
    if len(ratios) < 6:
        return None
    low, high = np.percentile(ratios, [10, 90])
    return float(low), float(high)
