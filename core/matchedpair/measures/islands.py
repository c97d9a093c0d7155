"""Where two sides differ, finer than a table of cells can say: the smallest parts of a picture that changed most.

Over blocks of 8 × 8 pixels, wider where noise is patchy, and of half of that too where the picture is small: change =
mean((B − A) / w) as in `difference`. A block's variance is that of the seeds there, the larger of its own and the mean
of the 3 × 3 blocks around it, so that neither a rare path in one block nor a calm one by chance counts. For each of a
ladder of steps, an island is where blocks that touch all lie beyond the step by more than 3 standard errors, at least
2 × 2 of them, so that edges are none; what touches it and changed by 70 % as much belongs to it. The highest steps come
first, and one that holds an island which changed plainly more is not told; they come by how much an eye sees of them:
what can just be seen falls with the root of the area (Piper's law).

By chance none was found in 108 comparisons of like with like (stand-in renders with caustics, glass, mist and patches);
a square of four blocks that are each beyond 3 standard errors is as rare as that.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import ndimage

from matchedpair.measures.region import Region
from matchedpair.pictures.picture import Doubles, Floats, Mask

STEPS = (1 / 16, 1 / 8, 1 / 4, 1 / 2, 1.0, 2.0, 4.0)  # stops
BEYOND = 3.0  # standard errors
LEAST = 2  # blocks across
AS_MUCH = 0.7
MOST = 8
FINE_PIXELS = 1_000_000  # up to which a thing that counts may be a few pixels across
SEEN = 4.0  # standard errors that the smallest change stands for, as of a cell
Box = tuple[int, int, int, int]


@dataclass(frozen=True)
class Island:
    """One island.

    Parameters
    ----------
    box : (int, int, int, int)
        Its bounding box in pixels: x, y, width, height.
    pixels : int
        How many are in it.
    percent : float
        How its light changed, of the mean of both sides: 200 is from nothing, or to nothing.
    smallest_seen_percent : float
        The smallest that so many pixels there would have shown.
    """

    box: Box
    pixels: int
    percent: float
    smallest_seen_percent: float


@dataclass(frozen=True)
class Sides:
    """What islands are looked for in.

    Parameters
    ----------
    control, trial : ndarray, shape (H, W)
        Mean luminance of the seeds.
    eps : float
        What is so dark that it counts as black.
    change : ndarray, shape (H, W)
        Trial less control, relative to what is around each pixel.
    own : sequence of sequence of ndarray, shape (H, W)
        What of the change varies with the seed: independent parts, each of one or more planes with the variance of the
        mean.
    rounding : float
        The relative step of storage, which is no change.
    times : float
        How much more of it there is than blocks say, where it reaches further than these.
    """

    control: Floats
    trial: Floats
    eps: float
    change: Floats
    own: Sequence[Sequence[Floats]]
    rounding: float
    times: float = 1.0


def islands(sides: Sides, region: Region, *, side: int, fine: bool) -> tuple[Island, ...]:
    """The islands between two sides, the one that is seen most first.

    Parameters
    ----------
    side : int
        Of a block, in pixels: so wide that the noise of one does not hang on its neighbour's.
    fine : bool
        Whether half of that is wide enough too, where there are not too many.
    """
    widths = (side // 2, side) if fine and region.count <= FINE_PIXELS else (side,)
    found = [island for width in widths for island in _Blocks(sides, region, width).islands()]
    kept: list[Island] = []
    for island in sorted(found, key=lambda island: island.pixels):
        within = [other for other in kept if _overlap(island, other)]
        if not any(AS_MUCH * abs(other.percent) > abs(island.percent) for other in within):
            kept = [other for other in kept if other not in within] + [island]
    kept.sort(key=lambda island: -abs(island.percent) * math.sqrt(island.pixels))
    return tuple(kept[:MOST])


def _overlap(one: Island, other: Island) -> bool:
    """Whether two that changed the same way lie over each other."""
    return one.percent * other.percent > 0.0 and all(
        one.box[axis] < other.box[axis] + other.box[axis + 2] and other.box[axis] < one.box[axis] + one.box[axis + 2]
        for axis in (0, 1)
    )


class _Blocks:
    """The change over blocks of one width, those at the far edges included."""

    def __init__(self, sides: Sides, region: Region, width: int) -> None:
        self._sides, self._region, self._width = sides, region, width
        sums, counts = self._sums(sides.change), region.counts(width, rest=True)
        self._counted: Mask = counts >= width * width / 2
        self._pixels = np.maximum(counts, 1.0)
        self._mean = np.where(self._counted, sums / self._pixels, 0.0)

    def islands(self) -> list[Island]:
        """Those of the highest step first, either way."""
        if min(self._counted.shape) < LEAST:
            return []
        sure = np.maximum(np.abs(self._mean) - self._sides.rounding, 0.0) - BEYOND * np.sqrt(self._variance)
        both = [(sign, self._island(inside)) for sign in (1.0, -1.0) for inside in self._found(sign * self._mean, sure)]
        return [island for sign, island in both if sign * island.percent > 0.0]  # else dark and bright parts disagree

    def _found(self, way: Doubles, sure: Doubles) -> Iterator[Mask]:
        told = np.zeros_like(self._counted)
        counted = self._counted & (way > 0.0)
        for step in reversed(STEPS):
            beyond = counted & (sure > _share(step))
            if not beyond.any():
                continue
            marked = ndimage.binary_opening(beyond, np.ones((LEAST, LEAST), dtype=np.bool_))
            labels, _ = ndimage.label(marked)
            sizes = np.bincount(labels.ravel())[1:]
            for number in np.argsort(-sizes, kind="stable")[:MOST] + 1:
                core = labels == number
                if told[core].any():
                    continue
                alike = counted & ~told & (sure > 0.0) & (way >= AS_MUCH * float(way[core].mean()))
                inside = ndimage.binary_propagation(core, mask=core | alike)
                told |= inside
                yield inside

    def _island(self, inside: Mask) -> Island:
        weights = self._pixels[inside]
        pixels = float(weights.sum())
        error = math.sqrt(float((self._variance[inside] * weights**2).sum())) / pixels
        change = abs(float((self._mean[inside] * weights).sum())) / pixels
        control, trial = (float(light[inside].sum()) / pixels for light in self._light)
        told = (trial - control) / ((max(control, 0.0) + max(trial, 0.0)) / 2 + self._sides.eps)
        seen = (SEEN * error + self._sides.rounding) * abs(told) / change
        rows, columns = (np.flatnonzero(inside.any(axis=axis)) for axis in (1, 0))
        region, width = self._region, self._width
        top, left = region.top + width * int(rows[0]), region.left + width * int(columns[0])
        bottom = min(region.top + width * (int(rows[-1]) + 1), region.bottom)
        right = min(region.left + width * (int(columns[-1]) + 1), region.right)
        return Island((left, top, right - left, bottom - top), round(pixels), 100 * told, 100 * seen)

    @cached_property
    def _variance(self) -> Doubles:
        parts = [self._of_part(planes) for planes in self._sides.own]
        return self._sides.times * sum(parts[1:], parts[0])

    def _of_part(self, planes: Sequence[Floats]) -> Doubles:
        squares = np.mean([np.square(self._sums(plane) / self._pixels) for plane in planes], axis=0)
        squares = np.where(self._counted, squares, 0.0)
        near = ndimage.uniform_filter(squares, 3, mode="constant")
        beside = ndimage.uniform_filter(self._counted.astype(np.float64), 3, mode="constant")
        return np.maximum(squares, near / np.maximum(beside, 1 / 9))

    @cached_property
    def _light(self) -> tuple[Doubles, Doubles]:
        return self._sums(self._sides.control), self._sums(self._sides.trial)

    def _sums(self, plane: Floats) -> Doubles:
        return self._region.blocks(plane, self._width, rest=True)


def _share(stops: float) -> float:
    """A change in stops as a share of the mean of both sides."""
    return 2 * (2**stops - 1) / (2**stops + 1)
