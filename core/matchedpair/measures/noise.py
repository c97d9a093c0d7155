"""Noise of one picture, in percent of its brightness, from two renders that differ in nothing but the seed.

With twins Y1 and Y2 the variance of one picture is v = (Y1 − Y2)² / 2, whatever the picture shows, and Y1·Y2 is an
unbiased estimate of the squared brightness. Both are gathered over 5×5 pixels, relative to an edge-keeping level g:

    q = box5(v / g²) / box5((Y1·Y2 + eps²) / g²),    noise = 100 · √mean(q),    eps = 0.01 · mean(Y)

g is a guided filter (He, Sun & Tang 2010), radius 7, of the logarithm of (Y1 + Y2)/2 averaged over 3×3 pixels: without
that average g follows strong noise and weighs the pixels that are dark by chance (up to 9 % too much at 30 % noise).
Pixels left out or invalid count nowhere. Lower is better.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy.ndimage import median_filter, uniform_filter

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure, Interval, Ratio, must_compare
from matchedpair.pictures.picture import Doubles, Floats, Mask, luminance

VERSION = 1
GUIDE_RADIUS = 7
METHOD_SHARE = 0.015  # the method's own uncertainty, relative
LEAST_BLOCKS = 6
SMOOTHED = (
    5.0  # how much calmer the picture is that guides the level: the mean of 3×3 pixels, which are not independent
)
LEAST_LEVEL = 0.5  # of the brightness within 5×5 pixels: pixels dark by chance must not outweigh the rest
WILD = 5.0  # twins this many times further apart than those around are a firefly, not a level


@dataclass(frozen=True)
class NoiseFigure:
    """Noise of one picture in one zone.

    Parameters
    ----------
    noise : Figure
        In percent, by ``twin``.
    top_share : float
        Share of the noise that sits in the noisiest 0.1 % of pixels, 0 to 1. Where it is large, rare bright paths rule
        and both twins may have missed others.
    variance_error : float or None
        Standard error of mean(q) from 16-pixel blocks, for ratios.
    """

    noise: Figure
    top_share: float
    variance_error: float | None


class TwinNoise:
    """The map q of two or more seeds, from which each zone's figure is read; over more than two, the mean of all pairs.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear light, of the same size, all conditions alike but the seed.
    valid : ndarray of bool, shape (H, W)
        Where all pictures count.

    Raises
    ------
    RefusedError
        With fewer than two pictures, when sizes differ, when twins are bit-equal (same seed: noise unknown), or when
        nothing valid and bright is left.
    """

    def __init__(self, pictures: Sequence[Floats], valid: Mask) -> None:
        if len(pictures) < 2:
            raise RefusedError("noise", "there is no twin: render the same again with another seed")
        if not valid.any():
            raise RefusedError("noise", "no valid pixel is left")
        pairs = list(combinations(pictures, 2))
        for first, second in pairs:
            if first.shape != second.shape:
                raise RefusedError("noise", f"the twins differ in size: {_size(first)} and {_size(second)}")
            if np.array_equal(first, second, equal_nan=True):
                raise RefusedError("noise", "the twins are bit-equal: same seed, noise unknown")
        bright = [np.where(valid, luminance(np.where(valid[..., None], picture, 0)), 0.0) for picture in pictures]
        self.valid = valid
        self.q: Doubles = np.mean([_share_of_noise(y1, y2, valid) for y1, y2 in combinations(bright, 2)], axis=0)

    def figure(self, zone: Mask) -> NoiseFigure:
        """Noise inside a zone, a mask of shape (H, W). Raises `RefusedError` when nothing valid lies in it."""
        inside = zone & self.valid
        values = self.q[inside]
        if values.size == 0:
            raise RefusedError("noise", "no valid pixel lies in this zone")
        mean_q = float(values.mean())
        percent = 100 * math.sqrt(mean_q)
        few = max(1, round(values.size * 0.001))
        top = float(np.partition(values, values.size - few)[-few:].sum() / max(float(values.sum()), 1e-300))
        fine = block_error(self.q, inside, 16)
        return NoiseFigure(
            Figure(percent, "%", _interval(percent, mean_q, block_error(self.q, inside, 32) or fine), "twin", VERSION),
            top, fine,
        )  # fmt: skip


def noise_ratio(control: NoiseFigure, trial: NoiseFigure) -> Ratio:
    """The trial's noise over the control's, with interval. Raises `RefusedError` when they cannot be compared."""
    must_compare("noise_ratio", control.noise, trial.noise)
    if control.noise.value <= 0.0 or trial.noise.value <= 0.0:
        raise RefusedError("noise_ratio", "a side shows no noise at all, so there is no ratio")
    value = trial.noise.value / control.noise.value
    interval = None
    if control.variance_error is not None and trial.variance_error is not None:
        relative = math.hypot(_relative(control), _relative(trial))
        interval = (value * math.exp(-1.96 * relative), value * math.exp(1.96 * relative))
    tie = interval is None or interval[0] <= 1.0 <= interval[1]
    return Ratio(value, interval, control.noise.method, VERSION, tie)


def _share_of_noise(y1: Doubles, y2: Doubles, valid: Mask) -> Doubles:
    mean = (y1 + y2) / 2
    bright = mean[valid]
    eps = 0.01 * float(np.minimum(bright, np.quantile(bright, 0.999)).mean())
    if eps <= 0.0:
        raise RefusedError("noise", "the pictures are black, so there is no brightness to relate noise to")
    variance = (y1 - y2) ** 2 / 2
    weight = valid / edge_keeping_level(mean, variance, y1 * y2, eps, valid) ** 2
    share = _box(variance * weight, 5)
    whole = _box((y1 * y2 + eps**2) * weight, 5)
    # where twins share less light than eps the product says nothing; eps then is the brightness
    floor = np.maximum(eps**2 * _box(weight, 5), 1e-300)
    return np.where(valid, share / np.maximum(whole, floor), 0.0)


def edge_keeping_level(mean: Doubles, variance: Doubles, product: Doubles, eps: float, valid: Mask) -> Doubles:
    """The brightness around each pixel, blurred but not across edges (a guided filter of the logarithm by itself).

    Parameters
    ----------
    mean, variance, product : ndarray, shape (H, W)
        Of the twins: their mean, (Y1 − Y2)² / 2, and Y1·Y2.
    eps : float
        Added before the logarithm.

    Returns
    -------
    ndarray of float64, shape (H, W)
        Level, above 0.
    """
    usual = float(np.median(mean[valid]))
    calm = np.where(valid, mean, usual)
    others = (25 * _box(variance, 5) - variance) / 24
    wild = variance > WILD**2 * others
    if wild.any():
        calm = np.where(wild, median_filter(calm, 3), calm)
    size = 2 * GUIDE_RADIUS + 1
    noise = _box(variance, size) / np.maximum(_box(product, size), eps**2) / SMOOTHED
    log = np.log(np.maximum(_box(calm, 3), 0.0) + eps)
    middle = _box(log, size)
    texture = np.maximum(_box(log * log, size) - middle**2 - noise / 2, 0.0)
    slope = texture / (texture + noise / 2 + 1e-9)
    level = np.exp(_box(slope, size) * log + _box(middle * (1 - slope), size))
    return np.asarray(np.maximum(level, LEAST_LEVEL * np.sqrt(np.maximum(_box(product, 5), eps**2))))


def block_error(q: Doubles, inside: Mask, size: int) -> float | None:
    """Standard error of mean(q) from differences of neighbouring blocks, which leave the picture's own slow change out.

    Returns None with fewer than `LEAST_BLOCKS` blocks, since that says nothing.
    """
    rows, columns = q.shape[0] // size, q.shape[1] // size
    if rows * columns < LEAST_BLOCKS:
        return None
    cut = (slice(0, rows * size), slice(0, columns * size))
    counts = inside[cut].reshape(rows, size, columns, size).sum(axis=(1, 3))
    sums = np.where(inside, q, 0.0)[cut].reshape(rows, size, columns, size).sum(axis=(1, 3))
    full = counts >= size * size / 2
    blocks = int(full.sum())
    if blocks < LEAST_BLOCKS:
        return None
    means = np.where(full, sums / np.maximum(counts, 1), np.nan)
    steps = np.concatenate([np.diff(means, axis=0).ravel(), np.diff(means, axis=1).ravel()])
    steps = steps[np.isfinite(steps)]
    if steps.size == 0:
        return None
    return math.sqrt(float((steps**2 / 2).mean()) / blocks)


def _interval(percent: float, mean_q: float, error: float | None) -> Interval | None:
    if error is None:
        return None
    # the published half-width 1.96·se/(2·noise) is in units of √q; with noise in percent that is 100 times as much
    half = math.hypot(100 * 1.96 * error / (2 * math.sqrt(mean_q)) if mean_q > 0 else 0.0, METHOD_SHARE * percent)
    return max(0.0, percent - half), percent + half


def _relative(figure: NoiseFigure) -> float:
    return (figure.variance_error or 0.0) / (2 * (figure.noise.value / 100) ** 2)


def _box(values: Doubles, size: int) -> Doubles:
    return np.asarray(uniform_filter(np.asarray(values, dtype=np.float64), size, mode="reflect"))


def _size(pixels: Floats) -> str:
    return f"{pixels.shape[1]}×{pixels.shape[0]}"
