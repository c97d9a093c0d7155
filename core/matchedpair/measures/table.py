"""A table of 12 × 8 cells over a region: where look and differences are told."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.region import Region

COLUMNS, ROWS = 12, 8
LEAST_SIDE = 8
KEPT_PIXELS = 2_200_000  # of a region whose cells are kept: they take a byte a pixel


@dataclass(frozen=True)
class Cell:
    """One cell: its row and column in the table, its box in pixels (x, y, width, height), and its pixels."""

    row: int
    column: int
    box: tuple[int, int, int, int]
    region: Region

    @property
    def place(self) -> tuple[int, int]:
        """Row and column."""
        return self.row, self.column


def cells(region: Region, side: int = LEAST_SIDE) -> Sequence[Cell]:
    """The cells of a region's bounding box that hold enough counted pixels, by row and column.

    There are fewer than 12 × 8 when a cell would be smaller than `side` pixels across. The edges lie on multiples of
    `side` from the box's corner, except the last.
    """
    if region.full and region.count <= KEPT_PIXELS:
        return _of_box(region.shape, region.top, region.bottom, region.left, region.right, side)
    return _cells(region, side)


@lru_cache(maxsize=8)
def _of_box(shape: tuple[int, int], top: int, bottom: int, left: int, right: int, side: int) -> Sequence[Cell]:
    """The cells of a box of which every pixel counts: one measure after the other asks for them, of each picture."""
    mask = np.zeros(shape, dtype=np.bool_)
    mask[top:bottom, left:right] = True
    return _cells(Region(mask), side)


def _cells(region: Region, side: int) -> Sequence[Cell]:
    mask = region.mask
    found = []
    for row, (top, bottom) in enumerate(_edges(region.top, region.bottom, ROWS, side)):
        for column, (left, right) in enumerate(_edges(region.left, region.right, COLUMNS, side)):
            inside = mask[top:bottom, left:right]
            if np.count_nonzero(inside) < max(inside.size // 4, 1):
                continue
            part = Region(inside, corner=(top, left), shape=region.shape)
            found.append(Cell(row, column, (left, top, right - left, bottom - top), part))
    return tuple(found)


def _edges(first: int, last: int, most: int, side: int) -> list[tuple[int, int]]:
    steps = (last - first) // side
    if steps < 1:
        raise RefusedError("table", f"the zone is narrower than {side} pixels")
    count = min(most, steps)
    edges = [first + side * round(steps * number / count) for number in range(count)] + [last]
    return list(pairwise(edges))
