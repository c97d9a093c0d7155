"""The pixels that a figure is read from: a zone without what is left out or invalid, at every size of a map."""

from __future__ import annotations

import math

import cv2
import numpy as np
from scipy.special import stdtrit

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Interval
from matchedpair.pictures.picture import Doubles, Floats, Mask

LEAST_BLOCKS = 6


class Region:
    """A mask of shape (H, W), and sums over it.

    Raises `RefusedError` when no pixel is in it.
    """

    def __init__(self, mask: Mask, *, corner: tuple[int, int] = (0, 0), shape: tuple[int, int] | None = None) -> None:
        """Of a whole mask, or of a box whose top left corner lies at this row and column of a map of `shape`."""
        if not mask.any():
            raise RefusedError("zone", "no valid pixel lies in this zone")
        self.shape = (mask.shape[0], mask.shape[1]) if shape is None else shape
        rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
        box = slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)
        self.top, self.bottom = corner[0] + box[0].start, corner[0] + box[0].stop
        self.left, self.right = corner[1] + box[1].start, corner[1] + box[1].stop
        self._inside = np.ascontiguousarray(mask[box])
        self.count = int(np.count_nonzero(self._inside))
        self._reduced: dict[int, Region | None] = {}
        self._counts: dict[tuple[int, bool], Doubles] = {}

    @property
    def cut(self) -> tuple[slice, slice]:
        """Its bounding box, as slices of a map."""
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @property
    def full(self) -> bool:
        """Whether every pixel of the bounding box counts."""
        return self.count == self._inside.size

    @property
    def mask(self) -> Mask:
        """The mask, shape (H, W); made anew each time, since of many zones all would be kept."""
        mask = np.zeros(self.shape, dtype=np.bool_)
        mask[self.cut] = self._inside
        return mask

    def at(self, step: int) -> Region | None:
        """The region on a map that keeps every `step`-th pixel; None when nothing of it is left there."""
        if step == 1:
            return self
        if step not in self._reduced:
            small = self.mask[::step, ::step]
            self._reduced[step] = Region(small) if small.any() else None
        return self._reduced[step]

    def mean(self, plane: Floats) -> float:
        """Mean of a map inside, summed in float64."""
        part = plane[self.cut]
        if self.full:
            return float(cv2.mean(part)[0])
        return float(cv2.mean(part, self._inside.view(np.uint8))[0])

    def highest(self, plane: Floats) -> float:
        """The highest value of a map inside."""
        return float(self.values(plane).max()) if not self.full else float(plane[self.cut].max())

    def values(self, plane: Floats) -> Floats:
        """The values inside, in one row; a copy."""
        part = plane[self.cut]
        return part.ravel().copy() if self.full else part[self._inside]

    def blocks(self, plane: Floats, size: int, *, rest: bool = False) -> Doubles:
        """Sums of a map over blocks of size × size pixels, shape (rows, columns), or (rows, columns, 3) of a picture.

        The blocks begin at the corner of the bounding box; what does not fill a block is left out, unless `rest` asks
        for the blocks at the far edges too.
        """
        part = plane[self.cut]
        if not self.full:
            part = np.where(self._inside if part.ndim == 2 else self._inside[..., None], part, np.float32(0.0))
        return _block_sums(part, size, rest=rest)

    def counts(self, size: int, *, rest: bool = False) -> Doubles:
        """How many pixels of each block count, shape (rows, columns); found once."""
        if (size, rest) not in self._counts:
            if self.full:
                counts = np.outer(*(_lengths(length, size, rest=rest) for length in self._inside.shape))
            else:
                counts = np.rint(_block_sums(self._inside.astype(np.float32), size, rest=rest))
            counts.setflags(write=False)  # the same for every map
            self._counts[size, rest] = counts
        return self._counts[size, rest]


def _lengths(length: int, size: int, *, rest: bool) -> Doubles:
    """Of the blocks along a side."""
    whole, cut = divmod(length, size)
    return np.array([size] * whole + [cut] * bool(rest and cut), dtype=np.float64)


def _block_sums(part: Floats, size: int, *, rest: bool) -> Doubles:
    high, wide = (length // size * size for length in part.shape[:2])
    if not rest or (high, wide) == part.shape[:2]:
        return _whole_blocks(part[:high, :wide], size)
    above, below = (
        np.concatenate([_whole_blocks(row[:, :wide], size), _whole_blocks(row[:, wide:], size)], axis=1)
        for row in (part[:high], part[high:])
    )
    return np.concatenate([above, below])


def _whole_blocks(part: Floats, size: int) -> Doubles:
    """Sums over blocks; what does not fill the last of them goes on with nothing."""
    below, beside = (-length % size for length in part.shape[:2])
    rows, columns = (-(-length // size) for length in part.shape[:2])
    if not rows or not columns:
        return np.zeros((rows, columns, *part.shape[2:]))
    if below or beside:
        part = np.asarray(cv2.copyMakeBorder(part, 0, below, 0, beside, cv2.BORDER_CONSTANT), dtype=np.float32)
    return np.asarray(cv2.resize(part, (columns, rows), interpolation=cv2.INTER_AREA), dtype=np.float64) * size**2


def block_error(plane: Floats, region: Region, size: int) -> float | None:
    """Standard error of a map's mean from differences of neighbouring blocks, which leave out slow change.

    Returns None with fewer than `LEAST_BLOCKS` blocks that are at least half inside, since that says nothing.
    """
    sums, counts = region.blocks(plane, size), region.counts(size)
    full = counts >= size * size / 2
    blocks = int(full.sum())
    if blocks < LEAST_BLOCKS:
        return None
    means = np.where(full, sums / np.maximum(counts, 1), np.nan)
    steps = np.concatenate([np.diff(means, axis=0).ravel(), np.diff(means, axis=1).ravel()])
    steps = steps[np.isfinite(steps)]
    if steps.size == 0:
        return None
    return float(np.sqrt((steps**2 / 2).mean() / blocks))


def root_interval(mean: float, error: float | None, share: float = 0.0) -> Interval | None:
    """95 % interval of 100·√mean, from the standard error of the mean and a relative share of the method's own."""
    if error is None:
        return None
    percent = 100 * math.sqrt(mean)
    half = math.hypot(100 * 1.96 * error / (2 * math.sqrt(mean)) if mean > 0 else 0.0, share * percent)
    return max(0.0, percent - half), percent + half


def ratio_error(ratio: float, above: Doubles, below: Doubles) -> float | None:
    """Standard error of a ratio of sums over blocks, by leaving out each in turn (the jackknife; Cochran, Sampling
    Techniques, section 6.17): a block that holds most of the sum, such as a lamp's edge, fits the ratio that it makes
    by itself. Widened by Student's where few hold it, so that 1.96 of it are 95 %. None with too few blocks.
    """
    count, rest = above.size, float(below.sum()) - below
    if count < LEAST_BLOCKS or not bool((rest > 0.0).all()):
        return None
    without = (float(above.sum()) - above) / rest
    error = math.sqrt((count - 1) / count * float(np.square(without - ratio).sum()))
    held = float(below.sum()) ** 2 / float(np.square(below).sum())  # blocks that tell, by how evenly they share
    return error * float(stdtrit(max(held - 1.0, 1.0), 0.975)) / 1.96
