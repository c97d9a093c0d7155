"""Computes local maps strip by strip: what is in hand stays in the processor's cache, and all cores take part."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from matchedpair.pictures.picture import Floats

ROWS = 128
MULTIPLE = 8  # strips begin at multiples of it, so that maps kept at every 2nd, 4th or 8th pixel fit together
THREADS = min(os.cpu_count() or 1, 4)
LEAST_PIXELS = 1_000_000  # of a picture; threads take longer to begin and to meet than what they do for fewer
Planes = Sequence[NDArray[Any]]
Row = TypeVar("Row")
Made = TypeVar("Made")


def side_by_side(make: Callable[[Row], Made], rows: Iterable[Row], shape: tuple[int, ...]) -> list[Made]:
    """What is made of each row, several at once for a picture of shape (H, W, …) that is large enough to gain by it."""
    if shape[0] * shape[1] < LEAST_PIXELS:
        return [make(row) for row in rows]
    with ThreadPoolExecutor(THREADS) as pool:
        return list(pool.map(make, rows))


def bands(rows: int, together: int, shape: tuple[int, ...]) -> list[slice]:
    """Slices of so many rows for `side_by_side`; one slice for a picture of that shape that gains nothing by it."""
    if shape[0] * shape[1] < LEAST_PIXELS:
        together = rows
    return [slice(first, min(first + together, rows)) for first in range(0, rows, together)]


def in_strips(compute: Callable[..., Floats], planes: Planes, reach: int) -> Floats:
    """A map of the planes' shape, in which no value depends on more than `reach` rows above and below it.

    Parameters
    ----------
    compute : callable
        Takes strips of all planes, shape (h, W, …), and gives a map of shape (h, W).
    planes : sequence of ndarray, each of shape (H, W, …)
    reach : int
        Rows that are handed over beyond each end of a strip.
    """
    return maps_in_strips(lambda *strips: [compute(*strips)], planes, reach)[0]


def maps_in_strips(compute: Callable[..., list[Floats]], planes: Planes, reach: int) -> list[Floats]:
    """Several maps of the same planes at once.

    Each map, and each plane but the first, may keep every row and column or stand for 2, 4 or 8 of them.
    """
    height, width = planes[0].shape[:2]
    if height <= 2 * ROWS:
        return compute(*planes)
    reach = -(-reach // MULTIPLE) * MULTIPLE
    first = _strip(compute, planes, 0, reach)
    steps = [round(width / strip.shape[1]) for strip in first]
    maps = [
        np.empty((-(-height // step), *strip.shape[1:]), dtype=strip.dtype)
        for step, strip in zip(steps, first, strict=True)
    ]

    def put(top: int, strips: list[Floats]) -> None:
        before = min(reach, top)
        bottom = min(top + ROWS, height)
        for step, whole, strip in zip(steps, maps, strips, strict=True):
            rows = -(-bottom // step) - top // step
            whole[top // step : top // step + rows] = strip[before // step : before // step + rows]

    put(0, first)
    side_by_side(lambda top: put(top, _strip(compute, planes, top, reach)), range(ROWS, height, ROWS), (height, width))
    return maps


def _strip(compute: Callable[..., list[Floats]], planes: Planes, top: int, reach: int) -> list[Floats]:
    height = planes[0].shape[0]
    first, last = max(top - reach, 0), min(top + ROWS + reach, height)
    steps = [round(height / plane.shape[0]) for plane in planes]
    return compute(*(plane[first // step : -(-last // step)] for step, plane in zip(steps, planes, strict=True)))
