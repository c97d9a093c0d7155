"""How a ratio varies over the places of a picture, as far as it is no chance.

One place of 8 × 8 pixels reads its ratio no closer than some twelve per cent, so that of a trial that is 7 % cleaner
everywhere a third of the places read noisier. Places are therefore taken together in squares, and a share of the
picture is said to be noisier only as far as readings of places that are not could never have made it look so.
"""

from __future__ import annotations

import math

import numpy as np
from scipy.special import ndtr

from matchedpair.measures.figure import MEDIAN_ERROR, PlaceSpread
from matchedpair.pictures.picture import Doubles, Floats

MOST_ACROSS, LEAST_SQUARES = 4, 40  # places in a row of a square, and squares of which a share can be told
MARGIN = math.log(1.05)  # less than this is no difference
AT = np.arange(0.0, 3.5, 0.5)  # standard errors beyond the margin at which squares are counted
SURE = 1.645  # of a share, one-sided
TENTH = 1.2816  # standard deviations beyond which a tenth of normal readings lie


def place_spread(logs: Floats | Doubles, scatter: float, together: float, quiet: int) -> PlaceSpread:
    """From the logarithms of the places' ratios.

    Parameters
    ----------
    logs : ndarray, shape (rows, columns)
        Not a number where a place does not count; at least one does.
    scatter : float
        By how much one place's reading is off by chance (standard deviation).
    together : float
        How many places' worth of readings hang together, at least 1.
    quiet : int
        Places in which neither side shows anything.
    """
    values, counts, within = _squares(logs)
    chance = max(scatter, within) * np.minimum(MEDIAN_ERROR * np.sqrt(max(together, 1.0) / counts), 1.0)
    shares = counts / counts.sum()
    together = max(together / float(np.median(counts)), 1.0)  # patches wider than a square make fewer of them
    tenth, ninetieth = (math.exp(each) for each in _ends(values, float(np.median(chance))))
    noisier, cleaner = (_at_least(each, chance, shares, together) for each in (values, -values))
    return PlaceSpread(noisier, cleaner, tenth, ninetieth, int(counts.sum()), quiet)


def _squares(logs: Floats | Doubles) -> tuple[Doubles, Doubles, float]:
    """The median of each square of places, how many count in it, and how they usually scatter within one."""
    counted = int(np.isfinite(logs).sum())
    side = next((side for side in range(MOST_ACROSS, 1, -1) if counted >= LEAST_SQUARES * side**2), 1)
    beyond = [(0, -length % side) for length in logs.shape]
    padded = np.pad(np.asarray(logs, dtype=np.float64), beyond, constant_values=np.nan)
    rows, columns = (length // side for length in padded.shape)
    squares = padded.reshape(rows, side, columns, side).swapaxes(1, 2).reshape(rows * columns, side * side)
    counts = np.isfinite(squares).sum(axis=1)
    squares, counts = squares[counts > 0], counts[counts > 0]
    squares.sort(axis=1)  # what does not count comes last: numpy's own median of the rest takes four times as long
    middle = [np.take_along_axis(squares, each[:, None], axis=1) for each in ((counts - 1) // 2, counts // 2)]
    medians = (middle[0] + middle[1]) / 2
    off = np.abs(squares - medians)
    return medians[:, 0], counts, float(np.median(off[np.isfinite(off)])) / 0.6745


def _at_least(values: Doubles, chance: Doubles, shares: Doubles, together: float) -> float:
    """The share of the picture, at least, whose logarithm lies above the margin (95 %).

    Of squares that do not, no more than a share q lies z standard errors above it by chance. So where S do, at least
    (S − q) / (1 − q) truly lie above; the most that any z tells.
    """
    above = np.array([float(shares[values > MARGIN + z * chance].sum()) for z in AT])
    by_chance = ndtr(-AT)
    scatter = np.sqrt(by_chance * (1 - by_chance) * together * float(np.square(shares).sum()))
    return max(float(((above - by_chance - SURE * scatter) / (1 - by_chance)).max()), 0.0)


def _ends(values: Doubles, chance: float) -> tuple[float, float]:
    """The tenth and ninetieth percentile, each as far from the middle as chance did not bring it."""
    low, middle, high = (float(each) for each in np.quantile(values, (0.1, 0.5, 0.9)))
    below, above = (math.sqrt(max(off**2 - (TENTH * chance) ** 2, 0.0)) for off in (middle - low, high - middle))
    return middle - below, middle + above
