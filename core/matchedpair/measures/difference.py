"""Is there a difference at all: what is left between two sides when their own noise is accounted for, cell by cell.

Over a table of 12 × 8 cells: d = mean(((A1 + A2)/2 − (B1 + B2)/2) / w), w = G4(mean) + eps. Its variance comes from
the twins' own differences, summed over sub-blocks of 8 × 8 pixels (not pixels, which are not independent behind a
pixel filter); what storage can do is taken off d; Student's t with two sub-blocks' worth of freedom each, as z. Where a
few sub-blocks hold most of a cell's variance (rare paths), the freedom is what they leave: 3 (Σq)² / Σq² of their
squares q, which is their number where noise is normal. A cell is named at |z| > 4; over all, |Σz|/√n > 3; or there is
an island (`islands`). *No difference* goes with the smallest change that would have been seen: that which z = 4 stands
for, and the storage's step. Where twins themselves differ from cell to cell by more than their sub-blocks say, or all
over, errors are as much larger (`reach`).

One seed often draws the same paths on both sides, and what noise they share is no doubt about their difference: where
the change A − B varies clearly less from seed to seed than both sides do, its own variation is taken.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr, ndtri_exp, stdtr, stdtrit

from matchedpair.errors import RefusedError
from matchedpair.measures.islands import Box, Island, Sides, islands
from matchedpair.measures.light import Light
from matchedpair.measures.reach import Reach, off_zero, reach
from matchedpair.measures.region import Region
from matchedpair.measures.specks import in_specks
from matchedpair.measures.table import Cell, Table
from matchedpair.pictures.filters import gauss
from matchedpair.pictures.picture import Doubles, Floats

VERSION = 6
SUB_BLOCK = 8
SHARED = 0.8  # of both sides' variance, below which the change's own is taken; independent seeds have 1
NAMED, OVERALL = 4.0, 3.0
SCALES_A_BLOCK = 4.0
LEAST_SUB_BLOCKS = 4
LEAST_FREEDOM = 4.0  # of noise that reaches beyond its sub-blocks, below which it tells nothing
REACHES = "cannot tell: what the seeds of one side differ by reaches too far over the picture; more seeds would tell"
HALF_ROUNDING = 2.0**-11  # relative
MOST_Z = 38.0  # what float64 can tell of a tail


@dataclass(frozen=True)
class CellDifference:
    """A cell: its place in the table and in pixels, z, its change in percent, and the smallest that it would show."""

    row: int
    column: int
    box: tuple[int, int, int, int]
    z: float
    percent: float
    smallest_seen_percent: float


@dataclass(frozen=True)
class DifferenceFigure:
    """Whether the trial differs from the control.

    Parameters
    ----------
    found : bool
    overall_z : float
    smallest_seen_percent : float
        Median over the cells of the smallest change that each would have shown.
    cells : tuple of CellDifference
        All cells; `named` are those that differ by themselves, the largest change first.
    islands : tuple of Island
        The parts, finer than cells, that changed most, the one seen most first; none where a side has one render.
    specks : tuple of (int, int, int, int)
        The boxes of those cells and islands whose change lies in bright specks.
    method : str
        ``twin``, or ``single`` when a side has one render and its noise is taken from the difference itself.
    """

    found: bool
    overall_z: float
    smallest_seen_percent: float
    cells: tuple[CellDifference, ...]
    islands: tuple[Island, ...]
    specks: tuple[Box, ...]
    method: str
    version: int

    @property
    def named(self) -> tuple[CellDifference, ...]:
        """Cells that differ by themselves, the largest change first."""
        return tuple(sorted((cell for cell in self.cells if abs(cell.z) > NAMED), key=lambda cell: -abs(cell.percent)))


def difference(
    control: Light, trial: Light, region: Region, *, blotch_scale: float | None = None, rounding: float = HALF_ROUNDING
) -> DifferenceFigure:
    """Whether there is a difference between two sides of one picture.

    Parameters
    ----------
    blotch_scale : float, optional
        Radius in pixels of slow patches on a side: sub-blocks are then at least four of these wide.
    rounding : float
        Relative step of the coarser side's storage; a change that is no larger is none, since rounding may lean to one
        side over a whole cell.

    Raises
    ------
    RefusedError
        When the cells would hold too few sub-blocks to tell (small or very blotchy pictures).
    """
    side = max(SUB_BLOCK, math.ceil(SCALES_A_BLOCK * blotch_scale) if blotch_scale else 0)
    level = gauss((control.mean + trial.mean) * np.float32(0.5), 4.0)
    eps = np.float32(0.5 * (control.eps + trial.eps))
    weight = np.asarray(1 / (np.maximum(level, 0.0) + eps), dtype=np.float32)
    change = (trial.mean - control.mean) * weight
    twins = len(control.y) > 1 and len(trial.y) > 1
    own = _by_seeds(control, trial, weight) if twins else []
    sums = _summed(Table.of(region, 2 * side, side), change, own, side)
    if not sums.cells:
        why = "its slow patches are too wide" if side > SUB_BLOCK else "the zone is too small"
        raise RefusedError("difference", f"cannot tell: {why} for the noise to average out in a cell")
    far = reach(sums.scatter, [cell.place for cell in sums.cells]) if own else Reach()
    if far.times > 1.0 and float(np.median(far.freedom_of(sums.freedom))) < LEAST_FREEDOM:
        raise RefusedError("difference", REACHES)
    found = _told(sums, far, rounding)
    together = sum(row.z for row in found) / math.sqrt(len(found) * far.sum_times)
    overall = float(_as_z(np.array([together]), far.sum_freedom)[0])
    sides = Sides(control.mean, trial.mean, float(eps), change, own, rounding, far.times)
    told = islands(sides, region, side=side, fine=side == SUB_BLOCK) if own else ()
    boxes = [cell.box for cell in found if abs(cell.z) > NAMED] + [island.box for island in told]
    return DifferenceFigure(
        found=abs(overall) > OVERALL or bool(told) or any(abs(row.z) > NAMED for row in found),
        overall_z=overall,
        smallest_seen_percent=float(np.median([row.smallest_seen_percent for row in found])),
        cells=tuple(found),
        islands=told,
        specks=tuple(box for box in boxes if in_specks(control, trial, box)),
        method="twin" if twins else "single",
        version=VERSION,
    )


def z_map(figure: DifferenceFigure, shape: tuple[int, int]) -> Floats:
    """z of each cell over its pixels, shape (H, W); not a number where no cell is."""
    shown = np.full(shape, np.nan, dtype=np.float32)
    for cell in figure.cells:
        x, y, width, height = cell.box
        shown[y : y + height, x : x + width] = cell.z
    return shown


def _by_seeds(control: Light, trial: Light, weight: Floats) -> list[list[Floats]]:
    """Planes of what varies with the seed: of each side, or of the change where the sides share their noise."""
    apart = [_contrasts(light.y, weight) for light in (control, trial)]
    if len(control.y) != len(trial.y):
        return apart
    together = [_contrasts([second - first for first, second in zip(control.y, trial.y, strict=True)], weight)]
    powers = [sum(_power(planes) for planes in each) for each in (together, apart)]
    return together if powers[0] < SHARED * powers[1] else apart


def _power(planes: Sequence[Floats]) -> float:
    return float(np.mean([np.square(plane).mean(dtype=np.float64) for plane in planes]))


def _contrasts(seeds: Sequence[Floats], weight: Floats) -> list[Floats]:
    """Planes of the seeds' differences, each with the variance of the seeds' mean."""
    count = len(seeds)
    planes = []
    for number in range(1, count):
        # Helmert's contrasts: independent, and each as noisy as one seed
        before = sum(seeds[1:number], seeds[0].copy()) * np.float32(1 / number)
        planes.append((before - seeds[number]) * weight * np.float32(math.sqrt(number / (number + 1) / count)))
    return planes


@dataclass(frozen=True)
class _Summed:
    """By cell, shape (n,), its mean change, its standard error and the freedom of that as its sub-blocks say; and by
    how many of its own standard errors each contrast of seeds lies off 0, shape (k, n).
    """

    cells: list[Cell]
    mean: Doubles
    error: Doubles
    freedom: Doubles
    scatter: Doubles


def _summed(table: Table, change: Floats, own: list[list[Floats]], side: int) -> _Summed:
    counts, sums = table.counts(), table.blocks(change)
    full = counts >= side * side / 2
    blocks = table.sums(full)
    told = blocks >= LEAST_SUB_BLOCKS
    cells = [cell for cell, is_told in zip(table.cells, told, strict=True) if is_told]
    blocks, pixels = blocks[told], table.sums(np.where(full, counts, 0.0))[told]
    mean = table.sums(np.where(full, sums, 0.0))[told] / pixels
    if not own:
        apart = table.by_cell(sums / np.maximum(counts, 1.0), full)
        spread = [each.std(ddof=1) for each, is_told in zip(apart, told, strict=True) if is_told]
        return _Summed(cells, mean, np.array(spread) / np.sqrt(blocks), blocks - 1.0, np.zeros((0, len(cells))))
    contrasts = [[np.where(full, table.blocks(plane), 0.0) for plane in planes] for planes in own]
    squares = [[np.square(each) for each in planes] for planes in contrasts]
    variance = np.sum([np.mean([table.sums(each)[told] for each in planes], axis=0) for planes in squares], axis=0)
    each_contrast = [each for planes in squares for each in planes]
    second, fourth = (table.sums(np.sum([each**power for each in each_contrast], axis=0))[told] for power in (1, 2))
    normal = blocks * len(each_contrast)  # of a sum of squares: their number, less where a few hold most of it
    freedom = np.minimum(normal, np.divide(3 * second**2, fourth, out=normal.copy(), where=fourth > 0.0))
    off = [
        off_zero(table.sums(contrast)[told], table.sums(squared)[told])
        for planes in zip(contrasts, squares, strict=True)
        for contrast, squared in zip(*planes, strict=True)
    ]
    return _Summed(cells, mean, np.sqrt(variance) / pixels, freedom, np.array(off))


def _told(sums: _Summed, far: Reach, rounding: float) -> list[CellDifference]:
    error, freedom = sums.error * math.sqrt(far.times), far.freedom_of(sums.freedom)
    beyond = np.copysign(np.maximum(np.abs(sums.mean) - rounding, 0.0), sums.mean)
    sure = np.where(beyond != 0.0, np.copysign(MOST_Z, beyond), 0.0)  # without noise
    t = np.divide(beyond, error, out=sure.copy(), where=error > 0.0)
    z = np.where(error > 0.0, _as_z(t, freedom), sure)
    smallest = 100 * (stdtrit(freedom, float(ndtr(NAMED))) * error + rounding)
    return [
        CellDifference(cell.row, cell.column, cell.box, float(z[n]), 100 * float(sums.mean[n]), float(smallest[n]))
        for n, cell in enumerate(sums.cells)
    ]


def _as_z(t: Doubles, freedom: Doubles | float) -> Doubles:
    """The normal deviates as unlikely as Student's t."""
    with np.errstate(divide="ignore"):
        tail = np.log(stdtr(freedom, -np.abs(t)))
    z = np.where(np.isinf(freedom), np.abs(t), -ndtri_exp(tail))
    return np.asarray(np.copysign(np.where(np.isinf(freedom), z, np.minimum(z, MOST_Z)), t))
