"""A table of 12 × 8 cells over a region, where look and differences are told, and sums over the blocks in its cells: of
all cells at once, since asking each by itself takes longer than summing its pixels does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from matchedpair.errors import RefusedError
from matchedpair.measures.region import Region
from matchedpair.pictures.picture import Doubles, Floats, Mask

COLUMNS, ROWS = 12, 8
BLOCK = 8
KEPT_PIXELS = 2_200_000  # of a region whose table is kept: its mask takes a byte a pixel
Edges = list[tuple[int, int]]


@dataclass(frozen=True)
class Cell:
    """One cell: its row and column in the table, and its box in pixels (x, y, width, height)."""

    row: int
    column: int
    box: tuple[int, int, int, int]

    @property
    def place(self) -> tuple[int, int]:
        """Row and column."""
        return self.row, self.column


@dataclass(frozen=True)
class _Layout:
    """Where the blocks of all cells are found: those of whole cells in the blocks of the whole region, shape (k,), the
    others after them; the cell of each and how many of its pixels count, shape (m,).
    """

    whole: NDArray[np.intp]
    cell_of: NDArray[np.intp]
    counts: Doubles


class Table:
    """The cells of a region's bounding box of which a quarter or more counts, by row and column.

    Sums over blocks come as one row, shape (m,), the same for every map. Blocks begin at the corner of a cell, or of
    what counts in it.

    Parameters
    ----------
    side : int
        The least side of a cell in pixels, a multiple of `block`: there are fewer than 12 × 8 cells where they would be
        smaller. Their edges lie on multiples of it from the box's corner, except the last.
    block : int
        Side of a block in pixels.

    Raises
    ------
    RefusedError
        When the region is narrower than `side`.
    """

    def __init__(self, region: Region, side: int = BLOCK, block: int = BLOCK) -> None:
        self._region, self._block = region, block
        down, across = _edges(region.top, region.bottom, ROWS, side), _edges(region.left, region.right, COLUMNS, side)
        mask = None if region.full else region.mask
        found: list[Cell] = []
        self._parts: dict[int, Region] = {}
        numbers = np.full((len(down), len(across)), -1)
        for row, (top, bottom) in enumerate(down):
            for column, (left, right) in enumerate(across):
                if mask is not None and not (inside := mask[top:bottom, left:right]).all():
                    if np.count_nonzero(inside) < max(inside.size // 4, 1):
                        continue
                    self._parts[len(found)] = Region(inside, corner=(top, left), shape=region.shape)
                else:
                    numbers[row, column] = len(found)
                found.append(Cell(row, column, (left, top, right - left, bottom - top)))
        self.cells: Sequence[Cell] = tuple(found)
        self._cell_of = numbers[np.ix_(_numbers(down, block), _numbers(across, block))]
        self._layouts: dict[bool, _Layout] = {}

    @classmethod
    def of(cls, region: Region, side: int = BLOCK, block: int = BLOCK) -> Table:
        """The same, kept for a box of which every pixel counts: one measure after the other asks, of each picture."""
        if region.full and region.count <= KEPT_PIXELS:
            return _of_box(region.shape, region.top, region.bottom, region.left, region.right, side, block)
        return cls(region, side, block)

    def counts(self, *, rest: bool = True) -> Doubles:
        """How many pixels of each block count; `rest`: of those too that a cell's far edges cut."""
        return self._layout(rest).counts

    def blocks(self, plane: Floats, *, rest: bool = True) -> Doubles:
        """Sums of a map over the blocks, shape (m,), or of each channel of a picture, shape (m, 3)."""
        whole = self._region.blocks(plane, self._block, rest=rest)
        sums = whole.reshape(-1, *whole.shape[2:])[self._layout(rest).whole]
        if not self._parts:
            return sums
        parts = [part.blocks(plane, self._block, rest=rest) for part in self._parts.values()]
        return np.concatenate([sums, *(each.reshape(-1, *each.shape[2:]) for each in parts)])

    def sums(self, values: NDArray[Any], *, rest: bool = True) -> Doubles:
        """Sums over each cell, shape (n,), of one value a block."""
        found = np.bincount(self._layout(rest).cell_of, values, len(self.cells))
        return np.asarray(found, dtype=np.float64)

    def by_cell(self, values: Doubles, counted: Mask, *, rest: bool = True) -> list[Doubles]:
        """The values of each cell, of one value a block where it is counted."""
        cells = self._layout(rest).cell_of[counted]
        order = np.argsort(cells, kind="stable")
        ends = np.searchsorted(cells[order], np.arange(1, len(self.cells)))
        return np.split(values[counted][order], ends)

    def means(self, pixels: Floats) -> Doubles:
        """Mean of a map in each cell, shape (n,), or of each channel of a picture, shape (n, 3)."""
        sums, counts = self.blocks(pixels), self.sums(self.counts())
        if sums.ndim == 1:
            return self.sums(sums) / counts
        return np.stack([self.sums(plane) / counts for plane in sums.T], axis=-1)

    def _layout(self, rest: bool) -> _Layout:
        if rest not in self._layouts:
            counts = self._region.counts(self._block, rest=rest)
            cell_of = self._cell_of[: counts.shape[0], : counts.shape[1]].ravel()
            whole = np.flatnonzero(cell_of >= 0)
            parts = [(number, part.counts(self._block, rest=rest).ravel()) for number, part in self._parts.items()]
            self._layouts[rest] = _Layout(
                whole,
                np.concatenate([cell_of[whole], *(np.full(each.size, number) for number, each in parts)]),
                np.concatenate([counts.ravel()[whole], *(each for _, each in parts)]),
            )
        return self._layouts[rest]


@lru_cache(maxsize=8)
def _of_box(shape: tuple[int, int], top: int, bottom: int, left: int, right: int, side: int, block: int) -> Table:
    mask = np.zeros(shape, dtype=np.bool_)
    mask[top:bottom, left:right] = True
    return Table(Region(mask), side, block)


def _edges(first: int, last: int, most: int, side: int) -> Edges:
    steps = (last - first) // side
    if steps < 1:
        raise RefusedError("table", f"the zone is narrower than {side} pixels")
    count = min(most, steps)
    edges = [first + side * round(steps * number / count) for number in range(count)] + [last]
    return list(pairwise(edges))


def _numbers(edges: Edges, block: int) -> NDArray[np.intp]:
    """Which cell each block of a row or column lies in."""
    return np.repeat(np.arange(len(edges)), [-(-(last - first) // block) for first, last in edges])
