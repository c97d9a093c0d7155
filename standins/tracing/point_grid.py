"""Points in space sorted into even cells, so that those near a place are found quickly."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

MOST_CELLS = 2_000_000


class PointGrid(NamedTuple):
    """`order` lists the points cell by cell; those of cell c are order[starts[c]:starts[c + 1]]."""

    low: NDArray[np.float64]  # (3,)
    cell: float
    dims: NDArray[np.int64]  # (3,)
    starts: NDArray[np.int64]
    order: NDArray[np.int64]


def build_grid(points: NDArray[np.float64], cell: float) -> PointGrid:
    """Sort points (n, 3) into cells of at least this size; stable, so that sums come out the same every time."""
    if len(points) == 0:
        one = np.ones(3, np.int64)
        return PointGrid(np.zeros(3), cell, one, np.zeros(2, np.int64), np.zeros(0, np.int64))
    low, high = points.min(0), points.max(0)
    while np.prod(np.floor((high - low) / cell) + 1.0) > MOST_CELLS:
        cell *= 1.5
    dims = np.floor((high - low) / cell).astype(np.int64) + 1
    at = np.minimum(((points - low) / cell).astype(np.int64), dims - 1)
    index = (at[:, 0] * dims[1] + at[:, 1]) * dims[2] + at[:, 2]
    counts = np.bincount(index, minlength=int(np.prod(dims)))
    starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    return PointGrid(low, cell, dims, starts, np.argsort(index, kind="stable").astype(np.int64))
