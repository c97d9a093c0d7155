"""How the visible error of an option falls with samples: of one picture, of the mean of all its seeds, which is what as
many times the samples give, and what lasts at least whatever the samples.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial
from itertools import pairwise
from statistics import fmean

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure
from matchedpair.measures.light import differing
from matchedpair.measures.region import Region
from matchedpair.measures.render import Viewing
from matchedpair.measures.samples_to import Convergence
from matchedpair.measures.table import Table
from matchedpair.measures.visible import View, apart, seen
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import Floats, Mask

VERSION = 1
BENT = 0.05  # of the noise: how far the mean of few samples lies off, since the eye's curve of lightness bends
BLOCK = 8  # pixels over which noise is averaged, to see what lasts below it


def convergence(
    pictures: Sequence[Floats], references: Sequence[Floats], counted: Mask, viewing: Viewing | None = None
) -> Convergence:
    """See an option's error, and that of its seeds taken together.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear light, one a seed.
    references : sequence of ndarray, shape (H, W, 3)
        The reference, and its twin when there is one.
    counted : ndarray of bool, shape (H, W)

    Raises
    ------
    RefusedError
        When the sizes differ, or nothing counts.
    """
    if len({picture.shape for picture in (*pictures, *references)}) > 1:
        raise RefusedError("convergence", "the reference has another size")
    shown = viewing or Viewing()
    region = Region(counted)

    def view(picture: Floats) -> View:
        valid = np.where(counted[..., None], picture, np.float32(0.0))
        show = partial(display_light, transform=shown.transform, exposure=shown.exposure)
        return seen(valid, show, shown.pixels_per_degree)

    truth = view(_mean(differing(references)))
    different = differing(pictures)
    views = [view(picture) for picture in different]
    maps = [apart(each, truth) for each in views]
    error = fmean(map(region.mean, maps))
    if len(different) == 1:
        alone = Figure(error, "ΔE", None, "reference", VERSION)
        noiseless = len(pictures) > 1
        return Convergence(1, alone, None, 0.0 if noiseless else None, error if noiseless else 0.0)
    own_noise = fmean(region.mean(apart(*two)) for two in pairwise(views)) / math.sqrt(2.0)
    together = view(_mean(pictures))
    left = _blocks_apart(together, truth, region)
    own = fmean(_blocks_apart(*two, region) for two in pairwise(views)) / math.sqrt(2.0 * len(views))
    scatter = _scatter(maps, region)
    one, every = (
        _figure(value, 1.96 * scatter * value / error / math.sqrt(seeds) if error > 0.0 else 0.0)
        for value, seeds in ((error, len(maps)), (region.mean(apart(together, truth)), 1))
    )
    return Convergence(len(maps), one, every, own_noise, max(left - own - BENT * own_noise, 0.0))


def _mean(pictures: Sequence[Floats]) -> Floats:
    return np.asarray(np.mean(pictures, axis=0, dtype=np.float32)) if len(pictures) > 1 else pictures[0]


def _figure(value: float, half: float) -> Figure:
    return Figure(value, "ΔE", (max(value - half, 0.0), value + half), "reference", VERSION)


def _scatter(maps: Sequence[Floats], region: Region) -> float:
    """Standard error of one picture's error: the cells' scatter between seeds, since seeds are few and cells many."""
    try:
        table = Table.of(region)
    except RefusedError:  # narrower than a cell
        means = [region.mean(each) for each in maps]
        return math.sqrt(float(np.var(means, ddof=1)))
    sums = [table.sums(table.blocks(each)) for each in maps]
    apart_squared = [float(np.square(second - first).sum()) for first, second in pairwise(sums)]
    return math.sqrt(sum(apart_squared) / len(apart_squared) / 2) / float(table.counts().sum())


def _blocks_apart(one: View, other: View, region: Region) -> float:
    """Mean ΔE between the means of blocks, in which noise is averaged out."""
    counts = region.counts(BLOCK, rest=True)
    inside = counts > 0.0
    means = [
        [np.asarray((region.blocks(plane, BLOCK, rest=True) / np.maximum(counts, 1.0)), dtype=np.float32)
         for plane in view]
        for view in (one, other)
    ]  # fmt: skip
    return float(np.average(apart(*means)[inside], weights=counts[inside]))
