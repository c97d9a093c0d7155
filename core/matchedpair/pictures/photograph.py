"""Brings a photograph in line with a render of the same set-up: brightness, white balance, shift and scale.

What was done is reported; lens distortion and turning are not undone. Brightness and white balance are matched for
viewing only: after that, neither can be judged against the photograph any more.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.optimize import minimize
from skimage.registration import phase_cross_correlation

from matchedpair.errors import RefusedError
from matchedpair.pictures.filters import gauss
from matchedpair.pictures.picture import Doubles, Floats, Mask, luminance

LEAST_ALIKE = 0.3
SCALES = np.exp(np.linspace(math.log(0.88), math.log(1.14), 27))
STEPS = np.array([[0.0, 0.0, 0.0], [0.01, 0.0, 0.0], [0.0, 1.5, 0.0], [0.0, 0.0, 1.5]])
BLOCKS = (8, 12)
FINE, AROUND = 1.0, 12.0  # pixels: edges without grain, and what they stand in


@dataclass(frozen=True)
class PhotographMatch:
    """What was done to the photograph.

    Parameters
    ----------
    pixels : ndarray, shape (H, W, 3)
        The photograph as it lies over the render, in the render's size; not a number where it shows nothing.
    stops : float
        Brightening, in stops of the green channel.
    white_balance : tuple of float
        Red, green and blue gains relative to green.
    shift_pixels : tuple of float
        Right and down, in pixels of the render.
    scale : float
        Enlargement beyond bringing both to the same height.
    alike_before, alike_after : float
        Correlation of the structure of both, −1 to 1, before and after aligning.
    covered : float
        Share of the render that the photograph covers, left-out places apart.
    """

    pixels: Floats
    stops: float
    white_balance: tuple[float, float, float]
    shift_pixels: tuple[float, float]
    scale: float
    alike_before: float
    alike_after: float
    covered: float


def match_photograph(photograph: Floats, render: Floats, counted: Mask) -> PhotographMatch:
    """Lay a photograph over a render.

    Parameters
    ----------
    photograph : ndarray, shape (h, w, 3)
        Linear light, up to its brightness and white balance.
    render : ndarray, shape (H, W, 3)
        Linear light.
    counted : ndarray of bool, shape (H, W)
        False where zones are left out.

    Raises
    ------
    RefusedError
        When the photograph does not look like the render even at its best.
    """
    height = render.shape[0]
    start = height / photograph.shape[0]
    target = _structure(luminance(render))
    light = luminance(photograph)
    reduced = light if start >= 1.0 else gauss(light, 0.5 * (1.0 / start - 1.0))

    def laid(scale: float, right: float, down: float) -> Doubles:
        return _resampled(reduced, render.shape[:2], start * scale, right, down)

    def likeness(scale: float, right: float, down: float) -> float:
        over = laid(scale, right, down)
        inside = np.isfinite(over) & counted
        if inside.sum() < 0.2 * counted.sum():
            return -1.0
        return _correlation(_structure(np.where(np.isfinite(over), over, np.nanmean(over))), target, inside)

    before = likeness(1.0, 0.0, 0.0)
    places = [(1.0, 0.0, 0.0), *(_shifted(float(scale), laid(float(scale), 0.0, 0.0), target) for scale in SCALES)]
    first = np.array(max(places, key=lambda place: likeness(*place))) - [1.0, 0.0, 0.0]
    found = minimize(  # type: ignore[call-overload]  # the stubs demand one-dimensional shapes in the types
        lambda v: -likeness(1.0 + float(v[0]), float(v[1]), float(v[2])),
        first,
        method="Nelder-Mead",
        options={"xatol": 1e-4, "fatol": 1e-7, "maxiter": 240, "initial_simplex": first + STEPS},
    )
    scale, right, down = 1.0 + float(found.x[0]), float(found.x[1]), float(found.x[2])
    after = -float(found.fun)
    if after < LEAST_ALIKE:
        raise RefusedError(
            "photograph",
            f"it does not look like this render (likeness {after:.2f}, needed {LEAST_ALIKE}); "
            "is it the same view, and are things that only one shows left out by zones?",
        )
    over = np.stack(
        [_resampled(photograph[..., k].astype(np.float64), render.shape[:2], start * scale, right, down)
         for k in range(3)], axis=-1,
    )  # fmt: skip
    inside = np.isfinite(over).all(axis=-1) & counted
    gains = [_gain(over[..., k], render[..., k], inside) for k in range(3)]
    return PhotographMatch(
        pixels=(over * np.array(gains)).astype(np.float32),
        stops=math.log2(gains[1]),
        white_balance=(gains[0] / gains[1], 1.0, gains[2] / gains[1]),
        shift_pixels=(right, down),
        scale=scale,
        alike_before=before,
        alike_after=after,
        covered=float(inside.sum() / max(counted.sum(), 1)),
    )


def _resampled(y: Doubles, shape: tuple[int, ...], scale: float, right: float, down: float) -> Doubles:
    """`y` enlarged around its middle and shifted, on a grid of this shape; not a number outside."""
    height, width = shape[:2]
    rows = (np.arange(height) - (height - 1) / 2 - down) / scale + (y.shape[0] - 1) / 2
    columns = (np.arange(width) - (width - 1) / 2 - right) / scale + (y.shape[1] - 1) / 2
    return _between(_between(y, rows, 0), columns, 1)


def _between(y: Doubles, at: Doubles, axis: int) -> Doubles:
    """Lines between those of `y` along an axis, linearly; not a number outside."""
    last = y.shape[axis] - 1
    first = np.clip(np.floor(at).astype(np.intp), 0, max(last - 1, 0))
    share = np.where((at < 0) | (at > last), np.nan, at - first)
    share = share[:, None] if axis == 0 else share[None, :]
    found = np.take(y, first, axis=axis)
    found += (np.take(y, np.minimum(first + 1, last), axis=axis) - found) * share
    return found


def _structure(y: Doubles) -> Doubles:
    """Edges without brightness: the logarithm less its surroundings."""
    floor = 0.02 * float(np.mean(y)) + 1e-9
    log: Doubles = np.log(np.maximum(y, 0.0) + floor)
    return gauss(log, FINE) - gauss(log, AROUND)


def _correlation(first: Doubles, second: Doubles, inside: Mask) -> float:
    a, b = first[inside] - first[inside].mean(), second[inside] - second[inside].mean()
    size = math.sqrt(float(a @ a) * float(b @ b))
    return float(a @ b) / size if size > 0.0 else 0.0


def _shifted(scale: float, over: Doubles, target: Doubles) -> tuple[float, float, float]:
    """A scale with its best shift to the right and down, by phase correlation (Guizar-Sicairos et al. 2008)."""
    filled = _structure(np.where(np.isfinite(over), over, np.nanmean(over)))
    shift, _, _ = phase_cross_correlation(target, filled, upsample_factor=4)  # type: ignore[no-untyped-call]
    return scale, float(shift[1]), float(shift[0])


def _gain(over: Doubles, render: Floats, inside: Mask) -> float:
    """Median over a table of blocks of mean render over mean photograph: single lights cannot rule it."""
    ratios = []
    for rows in np.array_split(np.arange(inside.shape[0]), BLOCKS[0]):
        for columns in np.array_split(np.arange(inside.shape[1]), BLOCKS[1]):
            at = np.ix_(rows, columns)
            chosen = inside[at]
            if chosen.mean() > 0.5 and over[at][chosen].mean() > 0.0:
                ratios.append(float(render[at][chosen].mean() / over[at][chosen].mean()))
    positive = [ratio for ratio in ratios if ratio > 0.0]
    if not positive:
        raise RefusedError("photograph", "no part of it is lit in both pictures")
    return float(np.median(positive))
