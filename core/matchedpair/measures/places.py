"""Noise place by place: both sides are compared in the same small square of the picture before anything is averaged.

A mean over the picture is ruled by the few pixels that hold most of the noise. So the picture is cut into places of
8 × 8 pixels (smaller in small zones). In each, the variance is averaged without its highest pixel, so that a rare
bright path does not count, relative to the place's own brightness, and scaled so that normal noise which hangs
together as this picture's does (`correlation`) reads as its standard deviation. *Noise* is the median over the
places, the *worst tenth* their 90th percentile with the scatter of the readings taken out. The *noise ratio* of a pair
is the median of trial over control in the same place: what varies over the scene drops out. It leaves no pixel out, or
all that stand out, where those fell as the rest did (`_readings`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from scipy.special import ndtr

from matchedpair.errors import RefusedError
from matchedpair.measures.correlation import Correlation
from matchedpair.measures.figure import Figure, Interval, Ratio
from matchedpair.measures.place_spread import place_spread
from matchedpair.measures.region import Region
from matchedpair.pictures.picture import Doubles, Floats
from matchedpair.pictures.strips import bands, side_by_side

SIDE, LEAST_SIDE = 8, 3
LEAST_PLACES = 60
TRIMMED = 1  # pixels of a place that are left out, the highest: where paths are few, more would be the noise itself
METHOD_SHARE = 0.015  # the method's own uncertainty, relative
# of twins, times the mean of the rest of a place: of 64 normal pixels one does in 30,000 places; of more seeds a path
# in one of them is as much less of the variance as there are more
STANDS_OUT = 25.0
STEP = 4.0  # times the next below: what trails off is how noise with a tail looks
CALM = 0.75  # the share of a place that no rare path is thought to reach
BAND = 16  # rows of places that are looked at together
FINE = 50.0  # steps of `apart` and `whole` in one byte
LEAST_RISE = 0.5  # a place whose highest pixel is no higher than the next reads less with it
OTHERWISE = 100
RARE_SHARE = 0.07  # what rare bright paths in every place may bias a reading by, relative
RARE_CHANGE = 0.25  # and the logarithm of a ratio: where there is less noise the same paths stand out otherwise
# what stands out counts as changed as the rest did between these factors of spread, where they are as sure as that, and
# where it is found in so many times as many places of the side with less noise
ALIKE, ALIKE_ERROR, MORE_PLACES = (0.74, 1.65), 0.1, 1.1
NOTHING = 2.0**-11  # relative: about what storage in half floats leaves of a picture without noise
TOO_FEW = "the zone is too small for places: fewer than 60 of them hold"
NO_NOISE = "neither side shows any noise where both could"


@dataclass(frozen=True)
class Places:
    """A figure of each place.

    Parameters
    ----------
    side : int
        Of a place, in pixels.
    top, left : int
        The first place, counted in places from the picture's corner.
    logs : ndarray, shape (rows, columns)
        Natural logarithm of the figure (relative spread, or visible noise); −inf where nothing shows, not a number
        where the place does not count.
    scatter : float
        By how much one reading of a place is off by chance (standard deviation of its logarithm); 0 where not known.
    together : float
        How many places' worth of readings hang together, at least 1: patches are wider than a place.
    rare : float
        Share of the places, 0 to 1, in which one pixel stands far out: rare bright paths, which bias a reading.
    apart : ndarray, shape (rows, columns), or None
        By how much each logarithm falls when all that stands out is left out, and not only the highest pixel.
    whole : ndarray, shape (rows, columns), or None
        By how much each logarithm rises when nothing is left out.
    standing, standing_error : float
        Logarithm of what stands out, as spread: that of a usual place with such pixels, and how many places have any;
        its standard error. Not a number where nothing stands out.
    standing_share : float
        Share of the places that have such pixels, 0 to 1.
    """

    side: int
    top: int
    left: int
    logs: Floats
    scatter: float = 0.0
    together: float = 1.0
    rare: float = 0.0
    apart: Floats | None = None
    whole: Floats | None = None
    standing: float = math.nan
    standing_error: float = math.nan
    standing_share: float = 0.0

    @property
    def counted(self) -> int:
        """How many places count."""
        return int(np.isfinite(self.logs).sum() + np.isneginf(self.logs).sum())

    def pack(self) -> bytes:
        """As bytes: four whole numbers and three floats of 32 bits, and half floats. Where the side has a minus before
        it and `OTHERWISE` more, `apart` and `whole` follow in bytes, and three floats.
        """
        more = b""
        if self.apart is not None and self.whole is not None:
            more = _in_bytes(self.apart) + _in_bytes(self.whole + LEAST_RISE)
            more += np.array([self.standing, self.standing_error, self.standing_share], dtype="<f4").tobytes()
        side = -self.side - OTHERWISE if more else self.side
        head = np.array([side, self.top, self.left, self.logs.shape[1]], dtype="<i4")
        sure = np.array([self.scatter, self.together, self.rare], dtype="<f4")
        return head.tobytes() + sure.tobytes() + self.logs.astype("<f2").tobytes() + more

    @classmethod
    def unpack(cls, packed: bytes) -> Places:
        """From what `pack` gave, now or earlier, when `apart` alone followed. Raises `ValueError` for other bytes."""
        side, top, left, columns = (int(each) for each in np.frombuffer(packed[:16], dtype="<i4"))
        if side == 0 or top < 0 or left < 0 or columns < 1:
            raise ValueError("these are no packed places")
        scatter, together, rare = (float(each) for each in np.frombuffer(packed[16:28], dtype="<f4"))
        if not (0.0 <= scatter < 100.0 and 1.0 <= together < 1e9 and 0.0 <= rare <= 1.0):
            raise ValueError("these are no packed places")
        planes = 0 if side > 0 else 2 if side < -OTHERWISE else 1
        rest = packed[28 : len(packed) - (12 if planes == 2 else 0)]
        count = len(rest) // (2 + planes)
        if count < columns or count * (2 + planes) != len(rest):
            raise ValueError("these are no packed places")
        logs = np.frombuffer(rest[: 2 * count], dtype="<f2").astype(np.float32).reshape(-1, columns)
        if planes == 0:
            return cls(side, top, left, logs, scatter, together, rare)
        more = np.frombuffer(rest[2 * count :], dtype=np.uint8).astype(np.float32).reshape(planes, *logs.shape) / FINE
        if planes == 1:
            return cls(-side, top, left, logs, scatter, together, rare, more[0])
        standing = (float(each) for each in np.frombuffer(packed[-12:], dtype="<f4"))
        return cls(
            -side - OTHERWISE, top, left, logs, scatter, together, rare, more[0], more[1] - LEAST_RISE, *standing
        )


def _in_bytes(plane: Floats) -> bytes:
    return bytes(np.nan_to_num(np.clip(plane * FINE, 0, 255)).round().astype(np.uint8).tobytes())


def place_side(region: Region) -> int | None:
    """The side of a place that gives a region at least 60 of them; None when it is too small."""
    return next((side for side in range(SIDE, LEAST_SIDE - 1, -1) if region.count >= LEAST_PLACES * side**2), None)


def noise_places(spread: Floats, light: Floats, dark: Floats, region: Region, known: Correlation) -> Places | None:
    """Relative spread of one picture in each place of a region; None when the region is too small.

    Parameters
    ----------
    spread, light, dark : ndarray, shape (H, W)
        Variance of one picture, its squared brightness, and the squared brightness below which a place counts as that
        bright, at each pixel over the same squared level.
    """
    side = place_side(region)
    if side is None:
        return None
    read, scatter = known.place_reading(side, TRIMMED)
    of_seeds = 2 / known.seeds
    top, left, squares, counts = _squares(spread, region, side)
    band = partial(_spreads, squares, counts, bool((counts == side * side).all()), of_seeds)
    variance, peaks, apart, above = map(
        np.concatenate, zip(*side_by_side(band, bands(len(squares), BAND, spread.shape), spread.shape), strict=True)
    )
    bright, least = (_means(plane, region, side)[2] for plane in (light, dark))
    relative = variance / (read * np.maximum(bright, least))
    found = _placed(side, top, left, np.sqrt(np.maximum(relative, 0.0)), counts)
    if found is None:
        return None
    rare = float((peaks > of_seeds * STANDS_OUT * variance)[counts >= side * side / 2].mean())
    standing, error, share = _standing(above / np.maximum(bright, least))
    # the highest was all that was left out
    all_of_it = (variance * np.maximum(counts - TRIMMED, 1) + peaks) / np.maximum(counts, 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        whole = np.log(all_of_it / known.place_reading(side, 0)[0] / (variance / read)) / 2
    whole = np.where(np.isfinite(whole), whole, 0.0).astype(np.float32)
    return replace(
        found, scatter=scatter / 2, together=_together(known, side, scatter), rare=rare, apart=apart,
        whole=whole, standing=standing, standing_error=error, standing_share=share,
    )  # fmt: skip


def _spreads(
    places: Floats, counts: Doubles, full: bool, of_seeds: float, rows: slice
) -> tuple[Doubles, Floats, Floats, Doubles]:
    """Of some rows of places the variance without the highest pixels, the highest pixel, and what stands out."""
    counts = counts[rows]
    squares = places[rows].reshape(*counts.shape, -1)
    most = squares.shape[-1]
    if full:
        squares = np.partition(squares, (int(CALM * most) - 1, most - TRIMMED - 1), axis=-1)
        variance = squares[..., : most - TRIMMED].mean(axis=-1, dtype=np.float64)
    else:
        squares = np.sort(squares, axis=-1)
        kept = np.maximum(counts - TRIMMED, 1)
        ordered = np.cumsum(squares, axis=-1, dtype=np.float64)
        variance = np.take_along_axis(ordered, kept[..., None] - 1, axis=-1)[..., 0] / kept
    peaks = np.where(np.isfinite(squares), squares, 0.0).max(axis=-1)
    return variance, peaks, *_apart(squares, counts, peaks, variance, of_seeds)


def _standing(above: Doubles) -> tuple[float, float, float]:
    """What stands out in all places together as the logarithm of a spread, its standard error, and the share of places
    that have any: their geometric mean, since a few rule their sum, times that share.
    """
    logs = np.log(above[above > 0])
    if not logs.size:
        return math.nan, math.nan, 0.0
    share = logs.size / above.size
    error = math.sqrt((float(logs.var()) + 1) / logs.size)
    return (float(logs.mean()) + math.log(share)) / 2, error / 2, share


def _apart(
    squares: Floats, counts: Doubles, peaks: Floats, variance: Doubles, of_seeds: float
) -> tuple[Floats, Doubles]:
    """By how much the logarithm of each place's spread falls when every pixel that stands out is left out, and the
    mean over the place of what those hold.

    One stands out that is far above the mean of all below it, by a step. At most a quarter of a place can: where more
    of it differs so from the rest, as where each pixel is seldom hit at all, that is the noise.
    """
    whole = squares.shape[-1]
    calm = int(CALM * whole)
    low = np.where(counts == whole, squares[..., :calm].mean(axis=-1, dtype=np.float64), 0.0)
    suspect = (low > 0) & (peaks > of_seeds * STANDS_OUT * low)
    rows = np.sort(squares[suspect], axis=-1)
    sums = np.cumsum(rows, axis=-1, dtype=np.float64)
    below = sums[:, calm - 1 : -1] / np.arange(calm, whole)
    stands = rows[:, calm:] > of_seeds * np.maximum(STANDS_OUT * below, STEP * rows[:, calm - 1 : -1])
    first = np.where(stands.any(axis=-1), calm + stands.argmax(axis=-1), whole)[:, None]
    kept = first - TRIMMED
    left = (np.take_along_axis(sums, kept - 1, axis=-1) / kept)[:, 0]
    apart, above = np.zeros(variance.shape, dtype=np.float32), np.zeros(variance.shape)
    apart[suspect] = np.log(np.maximum(variance[suspect] / np.maximum(left, 1e-300), 1.0)) / 2
    above[suspect] = (sums[:, -1] - np.take_along_axis(sums, first - 1, axis=-1)[:, 0]) / whole
    return apart, above


def _together(known: Correlation, side: int, scatter: float) -> float:
    """What a place is thought to tell by itself over what it adds to the whole; more than 1 where patches are wider."""
    own = 2.0 / max(scatter, 1e-6) ** 2
    return max(own * known.area / ((known.seeds - 1) * side**2), 1.0)


def mean_places(plane: Floats, region: Region, known: Correlation | None = None) -> Places | None:
    """Mean of a map in each place of a region; None when the region is too small.

    How far a reading is off by chance is then told from neighbours, and how far readings hang together from the noise.
    """
    side = place_side(region)
    if side is None:
        return None
    top, left, means, counts = _means(plane, region, side)
    found = _placed(side, top, left, means, counts)
    if found is None or known is None:
        return found
    together = _together(known, side, known.place_reading(side, TRIMMED)[1])
    return replace(found, scatter=_among_neighbours(found.logs), together=together)


def _among_neighbours(logs: Floats) -> float:
    """The usual difference of neighbours, as of two readings of one thing: what varies slowly is no part of it."""
    with np.errstate(invalid="ignore"):
        steps = np.concatenate([np.diff(logs, axis=0).ravel(), np.diff(logs, axis=1).ravel()])
    steps = np.abs(steps[np.isfinite(steps)])
    return float(np.median(steps)) / 0.6745 / math.sqrt(2.0) if steps.size else 0.0


def _means(plane: Floats, region: Region, side: int) -> tuple[int, int, Doubles, Doubles]:
    """Mean of each place's pixels that count, tiny where none does, and how many do; where they begin as `_squares`."""
    if _fits(region, side):
        sums, counts = region.blocks(plane, side), region.counts(side)
        return region.top // side, region.left // side, np.maximum(sums / side**2, 1e-30), counts
    top, left, squares, counts = _squares(plane, region, side)
    squares = squares.reshape(*counts.shape, -1)
    sums = np.where(np.isfinite(squares), squares, 0.0).sum(axis=-1, dtype=np.float64)
    return top, left, np.asarray(np.maximum(sums / np.maximum(counts, 1), 1e-30)), counts


def _placed(side: int, top: int, left: int, values: Doubles, counts: Doubles) -> Places | None:
    """Places from their values; those less than half inside do not count."""
    with np.errstate(divide="ignore"):
        logs = np.where(counts >= side * side / 2, np.log(values), np.nan).astype(np.float32)
    found = Places(side, top, left, logs)
    return found if found.counted >= LEAST_PLACES else None


def _squares(plane: Floats, region: Region, side: int) -> tuple[int, int, Floats, Doubles]:
    """The places' pixels, shape (rows, columns, side, side), infinite where they do not count, and how many do.

    Places lie at multiples of their side from the picture's corner, so that both sides of a pair have the same.
    """
    top, left = region.top // side, region.left // side
    rows, columns = -(-region.bottom // side) - top, -(-region.right // side) - left
    high, wide = plane.shape
    box = slice(top * side, min((top + rows) * side, high)), slice(left * side, min((left + columns) * side, wide))
    part = plane[box]
    if not region.full or part.shape != (region.bottom - region.top, region.right - region.left):
        part = np.where(region.mask[box], part, np.float32(np.inf))
    beyond = ((0, rows * side - part.shape[0]), (0, columns * side - part.shape[1]))
    if beyond != ((0, 0), (0, 0)):
        part = np.pad(part, beyond, constant_values=np.inf)
    squares = part.reshape(rows, side, columns, side).swapaxes(1, 2)
    if _fits(region, side):
        return top, left, squares, np.full((rows, columns), side * side)
    return top, left, squares, np.isfinite(squares).sum(axis=(-2, -1))


def _fits(region: Region, side: int) -> bool:
    """Whether places cover a region to its edges, and every pixel of it counts."""
    return region.full and not any(edge % side for edge in (region.top, region.bottom, region.left, region.right))


@dataclass(frozen=True)
class PlaceFigures:
    """A typical place's figure and that of the worst tenth, with the interval of the first."""

    typical: float
    interval: Interval
    worst_tenth: float
    shown: int


def typical(places: Places, *, method_share: float = METHOD_SHARE) -> PlaceFigures:
    """What a typical place and the worst tenth of places read, with the interval of a median of given places."""
    logs = places.logs[~np.isnan(places.logs)]
    shown = logs[np.isfinite(logs)]
    if not shown.size:
        return PlaceFigures(0.0, (0.0, 0.0), 0.0, 0)
    floor = float(shown.min()) - 20.0
    filled = np.maximum(logs, floor)  # places without noise are the least of all
    middle, high = (float(each) for each in np.quantile(filled, (0.5, 0.9)))
    if middle <= floor + 10.0:
        worst = math.exp(high) if high > floor else 0.0
        return PlaceFigures(0.0, (0.0, math.exp(float(shown.min()))), worst, shown.size)
    half = math.hypot(
        1.96 * _median_error(filled, middle, places.scatter, places.together), method_share, RARE_SHARE * places.rare
    )
    spread = float(np.subtract(*np.quantile(filled, (0.84, 0.16)))) / 2
    true = math.sqrt(max(1 - (places.scatter / spread) ** 2, 0.0)) if spread > 0 else 0.0
    worst = math.exp(middle + (high - middle) * true)
    value = math.exp(middle)
    return PlaceFigures(value, (value * math.exp(-half), value * math.exp(half)), worst, shown.size)


def _median_error(logs: Floats | Doubles, middle: float, scatter: float, together: float) -> float:
    """Standard error of the median of given places, each read with this scatter.

    A place of reading x lies below the true median with a chance p that only chance of the reading makes, so the count
    of those below scatters by Σp(1 − p), and the median by that over the density of readings. What truly varies over
    the picture is no error.
    """
    scatter = max(scatter, 1e-3)
    off = (middle - logs) / scatter
    below = ndtr(off)
    density = float(np.exp(-np.square(off) / 2).mean()) / (scatter * math.sqrt(2 * math.pi))
    return math.sqrt(together * float((below * (1 - below)).sum())) / (logs.size * max(density, 1e-9))


def place_ratio(
    control: Places, trial: Places, version: int, measure: str = "noise_ratio", least: float = 0.0
) -> Ratio:
    """The trial's figure over the control's in the same place: the median, with its interval and its spread.

    The interval is that of a median of given places: how far each reading is off by chance, and how many hang together.

    Parameters
    ----------
    least : float
        What counts as nothing; places in which neither side shows more do not count.

    Raises
    ------
    RefusedError
        When the sides have other places, or too few in which either shows anything.
    """
    logs, otherwise, known = _readings(control, trial, measure, least)
    values = logs[~np.isnan(logs)].astype(np.float64)
    count = values.size
    if count < LEAST_PLACES:
        raise RefusedError(measure, NO_NOISE if known >= LEAST_PLACES else TOO_FEW)
    middle = float(np.median(values))
    scatter, together = math.hypot(control.scatter, trial.scatter), max(control.together, trial.together)
    error = _median_error(values, middle, scatter, together)
    rare = max(control.rare, trial.rare)
    half = math.hypot(1.96 * error, METHOD_SHARE, RARE_SHARE * rare, RARE_CHANGE * rare * middle)
    # which of both readings is meant depends on whether rare paths are noise, which no figure can tell
    other = middle if otherwise is None else float(np.nanmedian(otherwise.astype(np.float64)))
    interval = (math.exp(min(middle, other) - half), math.exp(max(middle, other) + half))
    spread = place_spread(logs, scatter, together, known - count)
    tie = interval[0] <= 1.0 <= interval[1]
    return Ratio(math.exp(middle), interval, "places", version, tie, spread=spread)


def _readings(control: Places, trial: Places, measure: str, least: float) -> tuple[Floats, Floats | None, int]:
    """Logarithm of trial over control in each place that both have, not a number where neither shows more than `least`;
    the same read otherwise, where both readings may be meant; and how many places are known.

    Nothing is left out, unless what stands out changed as the rest did and is found in more places of the side with
    less noise, as with more of the same samples: in a place that has one such path or two chance rules, and all of them
    are left out. Where they did not change alike, what is meant depends on whether rare paths are noise, which no
    figure can tell.
    """
    first, second, both = _shared(control, trial, measure)
    known = ~(np.isnan(first) | np.isnan(second))
    floor = np.float32(math.log(least) if least > 0 else -60.0)
    showing = known & ((first > floor) | (second > floor))
    logs = np.where(showing, np.maximum(second, floor) - np.maximum(first, floor), np.float32(np.nan))
    count = int(known.sum())
    if both is None or not showing.any():
        return logs, None, count
    whole, without = logs + both[0], logs + both[1]
    error = math.hypot(control.standing_error, trial.standing_error)
    if error < ALIKE_ERROR:  # never where it is not a number
        rest = float(np.nanmedian(without.astype(np.float64)))
        noisier, cleaner = (control, trial) if rest < 0 else (trial, control)
        more = cleaner.standing_share > MORE_PLACES * noisier.standing_share
        if more and ALIKE[0] <= math.exp(cleaner.standing - noisier.standing + abs(rest)) <= ALIKE[1]:
            return without, None, count
    return whole, without, count


def _shared(control: Places, trial: Places, measure: str) -> tuple[Floats, Floats, tuple[Floats, Floats] | None]:
    """Both sides' figures over the places that both have, and by how much their ratio changes when nothing is left out,
    and when all that stands out is.
    """
    if control.side != trial.side:
        raise RefusedError(measure, "the sides were cut into places of other sizes; measure both again")
    top, left = max(control.top, trial.top), max(control.left, trial.left)
    bottom = min(control.top + control.logs.shape[0], trial.top + trial.logs.shape[0])
    right = min(control.left + control.logs.shape[1], trial.left + trial.logs.shape[1])
    if bottom <= top or right <= left:
        raise RefusedError(measure, "the sides have no place in common")
    cuts = [
        (slice(top - each.top, bottom - each.top), slice(left - each.left, right - each.left))
        for each in (control, trial)
    ]
    both = None
    if control.apart is not None and control.whole is not None and trial.apart is not None and trial.whole is not None:
        both = trial.whole[cuts[1]] - control.whole[cuts[0]], control.apart[cuts[0]] - trial.apart[cuts[1]]
    return control.logs[cuts[0]], trial.logs[cuts[1]], both


def ratio_map(control: Places, trial: Places, least: float = 0.0) -> Places:
    """Where the trial is cleaner and where noisier: log2 of trial over control by place; not a number where unknown."""
    logs, _, _ = _readings(control, trial, "noise_ratio", least)
    top, left = max(control.top, trial.top), max(control.left, trial.left)
    return Places(control.side, top, left, (logs / math.log(2.0)).astype(np.float32))


def places_figure(figures: PlaceFigures, value: float, unit: str, version: int) -> Figure:
    """One of the figures of places, by twins; the interval is given with the typical one's width."""
    if figures.typical <= 0.0:
        return Figure(value, unit, figures.interval, "twin", version)
    low, high = (end / figures.typical for end in figures.interval)
    return Figure(value, unit, (value * low, value * high), "twin", version)
