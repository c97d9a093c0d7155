"""How far noise reaches beyond the blocks in which it is summed: what twins differ by shows it.

Errors of means rest on sub-blocks whose noise does not hang together. Wide patches, rows, buckets or a whole picture
brighter with the seed break that, and a mean is then less sure than its blocks say. Twins differ by noise alone: the
mean of their difference in each cell, in standard errors of its blocks, scatters by 1 where blocks are apart, and by
more where they are not.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import chdtri

from matchedpair.pictures.picture import Doubles

BY_CHANCE = 0.001  # how often as much scatter among cells would be chance
SUM_BY_CHANCE = 0.01  # the same for all cells together, which few seeds tell of
LIKELY = 2.0  # standard errors from which cells side by side are taken to go together


@dataclass(frozen=True)
class Reach:
    """How much less sure means are than blocks say.

    Parameters
    ----------
    times : float
        Variance of a cell's mean over that of its blocks; 1 where these say all.
    freedom : float
        Of `times`; infinite where it is 1.
    sum_times : float
        Variance of the mean of all cells over what cells say that are independent, `times` already in them.
    sum_freedom : float
    """

    times: float = 1.0
    freedom: float = math.inf
    sum_times: float = 1.0
    sum_freedom: float = math.inf

    def freedom_of(self, blocks: Doubles) -> Doubles:
        """Of cells' errors whose blocks would have so much by themselves; those that hang together have less."""
        return 1.0 / (self.times / blocks + 1.0 / self.freedom)


def off_zero(sums: Doubles, squares: Doubles) -> Doubles:
    """By how many of its own standard errors the sum over the blocks of each cell lies off 0, from that sum and the
    sum of their squares.
    """
    error = np.sqrt(squares)
    return np.divide(sums, error, out=np.zeros_like(sums), where=error > 0.0)


def reach(scatter: Doubles, at: Sequence[tuple[int, int]]) -> Reach:
    """From what twins differ by.

    Parameters
    ----------
    scatter : ndarray, shape (k, n)
        Of k contrasts of seeds in n cells: the mean in standard errors of its own blocks (`off_zero`).
    at : sequence of tuple
        Row and column of each cell.
    """
    count, cells = scatter.shape
    power = float(np.square(scatter).mean())
    told = power > _by_chance(BY_CHANCE, count * cells)
    times, alone = (power, _alone(scatter, at)) if told else (1.0, float(cells))
    freedom = count * alone if told else math.inf
    together = cells / alone
    spread = float(np.square(scatter.sum(axis=1)).mean()) / (cells * times * together)
    if spread <= _by_chance(SUM_BY_CHANCE, count):
        return Reach(times, freedom, together, freedom)
    if told:
        return Reach(times, freedom, together * spread, float(count))
    everywhere = (spread - 1.0) / cells  # a change of the whole picture that no cell shows by itself
    return Reach(1.0 + everywhere, count * (1.0 + 1.0 / everywhere) ** 2, spread, float(count))


def _by_chance(share: float, freedom: int) -> float:
    """What a mean of so many squares of normal deviates exceeds in this share of cases."""
    return float(chdtri(freedom, share)) / freedom


def _alone(scatter: Doubles, at: Sequence[tuple[int, int]]) -> float:
    """How many cells tell something of their own, by how those side by side go together: n ((1 − r) / (1 + r))², for a
    correlation that falls off alike both ways.
    """
    number = {place: k for k, place in enumerate(at)}
    beside = [
        (number[row, column], number[there])
        for row, column in at
        for there in ((row + 1, column), (row, column + 1))
        if there in number
    ]
    if not beside:
        return 1.0
    first, second = np.array(beside).T
    likeness = float((scatter[:, first] * scatter[:, second]).mean()) / float(np.square(scatter).mean())
    if likeness < LIKELY / math.sqrt(scatter.shape[0] * len(beside)):
        likeness = 0.0
    return max(len(at) * ((1 - min(likeness, 1.0)) / (1 + likeness)) ** 2, 1.0)
