"""Look shift: how brightness and colour of a picture differ from another's, in places large enough for noise to average
out.

Over a table of 12 × 8 cells. Brightness: the median over bright cells (mean > 10·eps) of log2(mean I / mean R), in
stops. Colour: CIEDE2000 (Sharma, Wu & Dalal 2005) between the cells' mean colours under one exposure, 0.18 over the
geometric mean of R's luminance, before and after the gain is taken off. Darkest and brightest twentieth apart.
*Clamped* when values pile up at one level which the other picture passes there. An unchanged look reads about 0.05 in
colour, by noise alone.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit
from skimage.color import deltaE_ciede2000, xyz2lab

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import MEDIAN_ERROR, Figure, Interval
from matchedpair.measures.light import Light
from matchedpair.measures.reach import off_zero, reach
from matchedpair.measures.region import Region
from matchedpair.measures.table import Table
from matchedpair.pictures.filters import gauss, light_of
from matchedpair.pictures.picture import TO_XYZ, Doubles, Floats, Mask
from matchedpair.pictures.strips import in_strips

VERSION = 2
BRIGHT = 10.0
MIDDLE_GREY = 0.18
END_SHARE, END_BLUR = 0.05, 2.0
PILE_WIDTH, PILE_TIMES, LEAST_PILE = 0.002, 8.0, 12
PASSED = 1.05


@dataclass(frozen=True)
class Place:
    """A cell of the table and what was found in it, in stops."""

    row: int
    column: int
    box: tuple[int, int, int, int]
    stops: float


@dataclass(frozen=True)
class LookFigure:
    """Look shift in one zone, of the first picture against the second; above 0 stops it is brighter.

    Parameters
    ----------
    stops : Figure
    delta_e, delta_e_after_gain : Figure
        CIEDE2000, mean over the cells.
    worst : Place
        The cell whose brightness differs most.
    darkest_stops, brightest_stops : float or None
        In the darkest and brightest twentieth of the pixels; None where there is no light.
    clamped_at : float or None
        The level at which values pile up.
    light_lost_percent : float
        100·(1 − ΣY_I / ΣY_R).
    cells : tuple of Place
        Every bright cell.
    """

    stops: Figure
    delta_e: Figure
    delta_e_after_gain: Figure
    worst: Place
    darkest_stops: float | None
    brightest_stops: float | None
    clamped_at: float | None
    light_lost_percent: float
    cells: tuple[Place, ...]


def look(
    light: Light, pictures: Sequence[Floats], against: Light, others: Sequence[Floats], region: Region, *, method: str
) -> LookFigure:
    """How the look of a picture differs from another's.

    Parameters
    ----------
    light, against : Light
    pictures, others : sequence of ndarray, shape (H, W, 3)
        Linear colour of both, one a seed.
    method : str
        ``reference``, or ``pair`` between control and trial.

    Raises
    ------
    RefusedError
        When the zone is too small or dark.
    """
    table = Table.of(region)
    means, others_means = (np.mean([table.means(each) for each in side], axis=0) for side in (pictures, others))
    y, r = means @ TO_XYZ[1], others_means @ TO_XYZ[1]
    bright = (r > BRIGHT * against.eps) & (y > 0.0)
    if not bright.any():
        raise RefusedError("look", "no part of the zone is bright enough to compare its brightness")
    ratios = np.log2(y[bright] / r[bright])
    stops = float(np.median(ratios))
    exposure = MIDDLE_GREY / _geometric_mean(against, region)
    before = _delta_e(means * exposure, others_means * exposure)
    after = _delta_e(means * exposure / 2.0**stops, others_means * exposure)
    lit = [cell for cell, is_lit in zip(table.cells, bright, strict=True) if is_lit]
    places = tuple(Place(c.row, c.column, c.box, float(s)) for c, s in zip(lit, ratios, strict=True))
    whole, whole_other = region.mean(light.mean), region.mean(against.mean)
    ends = _ends(light, against, region)
    return LookFigure(
        stops=Figure(stops, "stops", _interval(stops, light, against, table, bright), method, VERSION),
        delta_e=Figure(float(before.mean()), "ΔE00", None, method, VERSION),
        delta_e_after_gain=Figure(float(after.mean()), "ΔE00", None, method, VERSION),
        worst=max(places, key=lambda place: abs(place.stops)),
        darkest_stops=ends[0],
        brightest_stops=ends[1],
        clamped_at=clamped_at(pictures[0], others, region),
        light_lost_percent=100.0 * (1.0 - whole / whole_other) if whole_other > 0 else 0.0,
        cells=places,
    )


def _geometric_mean(light: Light, region: Region) -> float:
    values = np.maximum(region.values(light.mean), np.float32(light.eps))
    return float(np.exp(np.log(values, out=values).mean(dtype=np.float64)))


def _delta_e(means: Doubles, others: Doubles) -> Doubles:
    first, second = (xyz2lab(np.maximum(values, 0.0) @ TO_XYZ.T) for values in (means, others))
    return np.asarray(deltaE_ciede2000(first, second))  # type: ignore[no-untyped-call]  # skimage has no types


def _interval(stops: float, light: Light, against: Light, table: Table, lit: Mask) -> Interval | None:
    """From the seeds' differences in each lit cell; None without twins on a side that has noise."""
    if len(light.y) < 2:
        return None
    twins = [_apart(side, table) for side in (light, against) if len(side.y) > 1]
    variance = sum(float(each.variance[lit].sum()) for each in twins)
    places = [cell.place for cell, is_lit in zip(table.cells, lit, strict=True) if is_lit]
    far = reach(np.array([each.scatter[lit] for each in twins]), places)
    # a median of many is a quarter less sure than their mean
    error = MEDIAN_ERROR / math.log(2) * math.sqrt(variance * far.times * far.sum_times) / len(places)
    half = float(stdtrit(far.sum_freedom, 0.975)) * error if math.isfinite(far.sum_freedom) else 1.96 * error
    return stops - half, stops + half


@dataclass(frozen=True)
class _Apart:
    """What two seeds differ by in each cell, from sums over its blocks: the relative variance of the mean of both, and
    by how many of its own standard errors the difference lies off 0.
    """

    variance: Doubles
    scatter: Doubles


def _apart(side: Light, table: Table) -> _Apart:
    sums = table.blocks(side.y[0] - side.y[1], rest=False)
    squares = table.sums(np.square(sums), rest=False)
    light = table.sums(table.counts(rest=False), rest=False) * table.means(side.mean)
    variance = np.divide(squares / 4, np.square(light), out=np.zeros_like(squares), where=light > 0.0)
    return _Apart(variance, off_zero(table.sums(sums, rest=False), squares))


def _ends(light: Light, against: Light, region: Region) -> tuple[float | None, float | None]:
    """Stops in the darkest and the brightest twentieth, chosen on the other picture, blurred against its noise."""
    part = region.at(2)
    if part is None:
        return None, None
    chosen = gauss(against.mean, END_BLUR)[::2, ::2]
    values = part.values(chosen)
    places = [int(share * (values.size - 1)) for share in (END_SHARE, 1.0 - END_SHARE)]
    values.partition(places)
    found: list[float | None] = []
    for wanted in (chosen <= values[places[0]], chosen >= values[places[1]]):
        inside = wanted & part.mask
        own, other = (float(side.mean[::2, ::2][inside].mean(dtype=np.float64)) for side in (light, against))
        found.append(math.log2(own / other) if own > 0.0 and other > 0.0 else None)
    return found[0], found[1]


def clamped_at(pixels: Floats, others: Sequence[Floats], region: Region) -> float | None:
    """The level at which a channel or the luminance piles up while the other picture passes it there, if any."""
    for reading in (_brightest_channel, light_of):
        values = in_strips(reading, [pixels], reach=0)
        top = region.highest(values)
        if not top > 0.0:
            continue
        rows, columns = np.nonzero(values >= np.float32(top * (1.0 - 2 * PILE_WIDTH)))
        inside = region.mask[rows, columns]
        rows, columns = rows[inside], columns[inside]
        piled = values[rows, columns] >= np.float32(top * (1.0 - PILE_WIDTH))
        count = int(piled.sum())
        if count < max(LEAST_PILE, PILE_TIMES * (len(rows) - count)):
            continue
        there = np.mean([picture[rows[piled], columns[piled]] for picture in others], axis=0)
        passing = reading(np.ascontiguousarray(there[None], dtype=np.float32))
        if float(passing.mean(dtype=np.float64)) > PASSED * top:
            return top
    return None


def _brightest_channel(pixels: Floats) -> Floats:
    return np.asarray(np.maximum(np.maximum(pixels[..., 0], pixels[..., 1]), pixels[..., 2]))
