"""Whether twins are twins: alike in all but the seed, as far as their pictures tell. Asked before any figure from them.

A twin that is mirrored, shifted, display-encoded, otherwise lit, or rendered with other settings would give a figure
that looks like any other. Each test asks for more than noise can do, and for a size that matters:

- orientation: at a coarse size a mirror image of one agrees with the other better than it does itself;
- the same picture: the cells of a table differ by far more than their own scatter, most of them;
- brightness: the median over a table of cells of log(mean Y1 / mean Y2), in standard errors from the cells' own spread;
- encoding: the slope of the same over the cells' brightness, which a display curve bends by half;
- light: cells side by side that stand out from their own blocks of 8 × 8 pixels and from all other cells;
- settings: what a blur by 0.7 pixels takes away, place by place, which another number of samples changes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import MEDIAN_ERROR
from matchedpair.measures.light import Light
from matchedpair.measures.places import Places, mean_places, place_ratio
from matchedpair.measures.region import Region
from matchedpair.measures.table import BLOCK, Table
from matchedpair.pictures.filters import gauss, reduced
from matchedpair.pictures.picture import Doubles, Floats
from matchedpair.pictures.strips import side_by_side

SURE = 6.0  # standard errors
BRIGHTER = 0.02  # of the brightness, below which a shift spoils nothing
BENT = 0.1  # slope of log brightness over log brightness; a display curve bends by 0.5
LEAST_RANGE, LEAST_APART = 0.2, 0.05  # of log brightness among the cells, and between two of which a slope is taken
LIT_ALONE = 0.25  # change of one cell by itself, with nothing beside it
LIT_CELL, LIT = 0.1, 7.0  # change of one cell, and how far it stands out from the usual cell
PATCHY = 1.5  # cells' spread over their own scatter
ALSO = 0.6  # share of `LIT` from which a cell beside the one that stands out does so too
OTHER_GRAIN = 1.25
OTHER_PICTURE = 0.15  # usual change of a cell
COARSE_WIDTH, MIRRORED = 192, 0.5
LEAST_CELLS, LEAST_BLOCKS = 12, 4
MOST_ALIKE = 0.8
STATED = "the twin is no twin of it"


def twin_problem(light: Light) -> str:
    """Why the seeds are not alike in all but the seed, or empty. Found once."""
    if light.found.twins_problem is None:
        light.found.twins_problem = next(
            (reason for number in range(1, len(light.y)) if (reason := _problem(light, number))), ""
        )
    return light.found.twins_problem


def refuse_unless_twins(light: Light) -> None:
    """Raise `RefusedError` with the reason when the seeds are no twins."""
    problem = twin_problem(light)
    if problem:
        raise RefusedError("noise", problem)


def _problem(light: Light, number: int) -> str:
    first, other = light.seed(0), light.seed(number)
    turned = _turned(light, number)
    if turned:
        return f"{STATED}: it is {turned}"
    table = _table(first, other)
    return (_otherwise_lit(table) if table is not None else "") or _other_grain(light, first, other)


def _turned(light: Light, number: int) -> str:
    """Whether a mirror image of the one agrees with the other clearly better than it does as it lies."""
    tables = []
    for seed in (0, number):
        plane = light.median_5[seed]
        if not light.all_valid:
            plane = np.where(light.valid, plane, (light.median_5[0] + light.median_5[number]) / 2)
        small = reduced(plane, max(1, light.shape[1] // COARSE_WIDTH))
        log = np.log(np.maximum(small, 0.0) + np.float32(light.eps))
        tables.append(log - gauss(log, 8.0))
    own = _likeness(*tables)
    names = {
        "mirrored left to right": tables[1][:, ::-1], "upside down and mirrored": tables[1][::-1],
        "turned by half": tables[1][::-1, ::-1],
    }  # fmt: skip
    best, likeness = max(((name, _likeness(tables[0], table)) for name, table in names.items()), key=lambda row: row[1])
    return best if likeness > max(MIRRORED, own + 0.3) else ""


def _likeness(first: Floats, second: Floats) -> float:
    """Correlation of two tables."""
    power = math.sqrt(float(np.square(first).mean()) * float(np.square(second).mean()))
    return float((first * second).mean()) / power if power > 0.0 else 0.0


@dataclass(frozen=True)
class _Table:
    """By cell the logarithm of second over first, its standard error, that of the brightness, and the place."""

    ratio: Doubles
    error: Doubles
    bright: Doubles
    places: list[tuple[int, int, int, int]]


def _table(first: Light, other: Light) -> _Table | None:
    region = Region(first.valid)
    try:
        table = Table.of(region, 2 * BLOCK)
    except RefusedError:
        return None
    difference, total = other.y[0] - first.y[0], other.y[0] + first.y[0]
    with np.errstate(over="ignore"):  # without end is scatter enough
        squared = np.square(difference)
    counts = table.counts(rest=False)
    full = counts >= BLOCK * BLOCK / 2
    many = table.sums(full, rest=False) >= LEAST_BLOCKS
    if not many.any():
        return None
    sums = table.blocks(difference, rest=False)
    # medians over the blocks, since one firefly would rule a mean
    light, own = (
        table.by_cell(each / np.maximum(counts, 1.0), full, rest=False)
        for each in (table.blocks(total, rest=False), sums)
    )
    bright, middle = _medians(light) / 2, _medians(own)
    off = _medians([np.abs(each - usual) for each, usual in zip(own, middle, strict=True)])
    # of few blocks it may be small by chance, and rare paths may lie in most of them
    pixels = np.maximum(table.sums(counts, rest=False), 1.0)
    means = [table.sums(each, rest=False) / pixels for each in (table.blocks(squared, rest=False), sums)]
    apart = means[0] - np.square(means[1])
    scatter = np.sqrt(np.maximum(apart, 0.0) / pixels)
    lit = many & (bright > first.eps)
    if np.count_nonzero(lit) < LEAST_CELLS:
        return None
    bright, middle = bright[lit], middle[lit]
    among_blocks = MEDIAN_ERROR / 0.6745 * off[lit] / np.sqrt([each.size for each in own])[lit]
    error = np.maximum(among_blocks, scatter[lit]) / bright
    ratio = 2 * np.arctanh(np.clip(middle / bright, -1.9, 1.9) / 2)
    boxes = [cell.box for cell, is_lit in zip(table.cells, lit, strict=True) if is_lit]
    return _Table(ratio, np.maximum(error, 1e-6), np.log(bright), boxes)


def _medians(rows: list[Doubles]) -> Doubles:
    """The median of each, 0 of none; of those that are equally long at once."""
    found = np.zeros(len(rows))
    lengths = np.array([row.size for row in rows])
    for length in np.unique(lengths[lengths > 0]):
        places = np.flatnonzero(lengths == length)
        found[places] = np.median([rows[place] for place in places], axis=1)
    return found


def _otherwise_lit(table: _Table) -> str:
    """Whether it is brighter, encoded otherwise, or lit otherwise in places, beyond what noise does."""
    count = table.ratio.size
    slope, level, rest = _line(table.bright, table.ratio)
    bent = np.abs(table.ratio - level - slope * (table.bright - np.median(table.bright)))
    if float(np.median(bent)) > OTHER_PICTURE and float(np.median(bent / table.error)) > SURE:
        return f"{STATED}: it does not show the same picture; most of it is darker or brighter than noise can be"
    across = float(np.subtract(*np.quantile(table.bright, (0.84, 0.16)))) / 2
    if across > LEAST_RANGE and abs(slope) > max(BENT, SURE * MEDIAN_ERROR * rest / (across * math.sqrt(count))):
        return f"{STATED}: it is encoded otherwise; one of the two looks display-encoded, not linear light"
    scatter = (
        MEDIAN_ERROR * max(rest, float(np.median(table.error))) / math.sqrt(count) * _spread_by_patches(table, level)
    )
    if abs(level) > BRIGHTER and abs(level) > SURE * scatter:
        word = "brighter" if level > 0 else "darker"
        return f"{STATED}: it is {abs(level) / math.log(2):.2f} stops {word}, which noise cannot be"
    # a cell stands out from its own scatter, and from how the cells scatter among each other
    standing = np.abs(table.ratio - level) / np.maximum(np.maximum(table.error, np.median(table.error)), rest)
    standing *= np.abs(table.ratio - level) > LIT_CELL
    worst = int(np.argmax(standing))
    if standing[worst] > LIT and _more_than_a_patch(table, standing, worst, rest):
        x, y, width, height = table.places[worst]
        stops = table.ratio[worst] / math.log(2)
        where = f"at {x + width // 2}, {y + height // 2}"
        return f"{STATED}: it is lit otherwise, {abs(stops):.2f} stops {'brighter' if stops > 0 else 'darker'} {where}"
    return ""


def _spread_by_patches(table: _Table, level: float) -> float:
    """How much wider the middle of all cells scatters since those side by side go together, as patches that reach over
    more than one make them: (1 + r) / (1 − r), for a correlation r of neighbours that falls off alike both ways.
    """
    off = table.ratio - level
    usual = float(np.median(np.abs(off))) / 0.6745
    if usual <= 0.0:
        return 1.0
    off = np.clip(off / usual, -3.0, 3.0)
    found = {(x, y): place for place, (x, y, _, _) in enumerate(table.places)}
    columns, rows = (sorted({box[axis] for box in table.places}) for axis in (0, 1))
    beside = [(found[here], found[there]) for here in found for there in _next(here, columns, rows) if there in found]
    if not beside:
        return 1.0
    first, second = np.array(beside).T
    likeness = float(np.mean(off[first] * off[second]) / np.mean(np.square(off)))
    likeness = min(max(likeness, 0.0), MOST_ALIKE)
    return (1.0 + likeness) / (1.0 - likeness)


def _next(here: tuple[int, int], columns: list[int], rows: list[int]) -> list[tuple[int, int]]:
    """The places of the cells to the right and below."""
    x, y = here
    right, below = columns.index(x) + 1, rows.index(y) + 1
    return [(each, y) for each in columns[right : right + 1]] + [(x, each) for each in rows[below : below + 1]]


def _more_than_a_patch(table: _Table, standing: Doubles, worst: int, rest: float) -> bool:
    """Whether what stands out is another light and no patch of a method's own: rare paths and patches that change with
    the seed now and then move one cell far, while another light covers more than one, or is far more than they do.
    """
    if standing[worst] > 2 * LIT and abs(table.ratio[worst]) > LIT_ALONE:
        return True
    patchy = rest > PATCHY * float(np.median(table.error))
    x, y, width, height = table.places[worst]
    beside = [
        abs(left - x) < 1.5 * width and abs(top - y) < 1.5 * height and place != worst
        for place, (left, top, _, _) in enumerate(table.places)
    ]
    alike = np.sign(table.ratio) == np.sign(table.ratio[worst])
    return bool((np.array(beside) & alike & (standing > (LIT if patchy else ALSO * LIT))).any())


def _line(x: Doubles, y: Doubles) -> tuple[float, float, float]:
    """The median slope of y over x between any two cells (Theil 1950, Sen 1968), the median of y, and the robust spread
    about both.
    """
    level = float(np.median(y))
    first, second = np.triu_indices(x.size, 1)
    apart = x[second] - x[first]
    clear = np.abs(apart) > LEAST_APART
    slope = float(np.median((y[second] - y[first])[clear] / apart[clear])) if clear.any() else 0.0
    rest = y - level - slope * (x - np.median(x))
    return slope, level, float(np.median(np.abs(rest))) / 0.6745


def _other_grain(light: Light, first: Light, other: Light) -> str:
    """Whether one is clearly sharper or grainier than the other, in the same places."""
    region, known = Region(first.valid), light.correlation

    def grain(one: Light) -> Places | None:
        plane = one.y[0]
        return mean_places(np.abs(plane - gauss(plane, 0.7)), region, known)

    planes = side_by_side(grain, (first, other), light.shape)
    if planes[0] is None or planes[1] is None:
        return ""
    try:
        ratio = place_ratio(planes[0], planes[1], 1, "twin")
    except RefusedError:
        return ""
    low, high = ratio.ends
    if low > OTHER_GRAIN or high < 1 / OTHER_GRAIN:
        return (
            f"{STATED}: its finest grain is {ratio.value:.2f} times the other's; another number of samples, a denoiser "
            "or a pixel filter"
        )
    return ""
