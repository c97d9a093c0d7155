"""How near a render comes to a photograph, once brightness, white balance and place are matched: colour and light by
cells, contrast, highlights, and the direction in which light falls off.

A photograph decides nothing of brightness and white balance (they were matched away), and nothing where it shows
something else.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from skimage.color import xyz2lab

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure, mean_figure
from matchedpair.measures.light import Light
from matchedpair.measures.look import look
from matchedpair.measures.region import Region
from matchedpair.measures.table import Table
from matchedpair.pictures.filters import gauss
from matchedpair.pictures.picture import TO_XYZ, Floats, Mask, luminance

VERSION = 1
METHOD = "photograph"
SLOW = 1 / 80  # of the width: the blur after which gradients are those of light and shadow, not of texture
SOFT = 2.0  # pixels, so that grain is no highlight and no contrast
DARK, MIDDLE, BRIGHT = 2.0, 50.0, 99.0
MIDDLE_GREY = 0.18
TOP = 0.999  # of the highest value: what was cut off is laid over the render between pixels


@dataclass(frozen=True)
class Nearness:
    """A render against a photograph in one zone.

    Parameters
    ----------
    distance : Figure
        Mean CIEDE2000 over the cells of a table.
    colour : Figure
        Mean distance of hue and saturation alone, in CIELAB units.
    contrast, highlights, shadows : Figure
        In stops: spread of the light, how far the brightest and how far the darkest lie from the middle, less the
        photograph's; below 0 the highlights are too dim, and the shadows too dark.
    direction : Figure
        How far light falls off in the same direction: correlation of the gradients, 1 in all places, 0 in none.
    clipped : Figure
        Share of the photograph, in percent, where a channel is at its highest value: more than a few pixels are there
        only where what is brighter was cut off.
    """

    distance: Figure
    colour: Figure
    contrast: Figure
    highlights: Figure
    shadows: Figure
    direction: Figure
    clipped: Figure


def nearness(pictures: Sequence[Floats], photograph: Floats, counted: Mask) -> Nearness:
    """Hold renders, one a seed, against a photograph that lies over them (`match_photograph`).

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear light.
    photograph : ndarray, shape (H, W, 3)
        Not a number where it shows nothing.
    counted : ndarray of bool, shape (H, W)

    Raises
    ------
    RefusedError
        When they share too little, or the zone is too small or dark.
    """
    inside = counted & np.isfinite(photograph).all(axis=-1)
    region = Region(inside)
    truth = np.where(inside[..., None], photograph, np.float32(0.0)).astype(np.float32)
    against = Light([truth], inside)
    logs = _log(truth, inside)

    def over_seeds(unit: str, read: Callable[[Floats], float]) -> Figure:
        return mean_figure([read(picture) for picture in pictures], unit, METHOD, VERSION)

    def distance(picture: Floats) -> float:
        shift = look(Light([picture], inside), [picture], against, [truth], region, method=METHOD)
        return shift.delta_e_after_gain.value

    def spread(picture: Floats) -> float:
        return float(_log(picture, inside)[inside].std() - logs[inside].std())

    def end(percentile: float) -> Callable[[Floats], float]:
        return lambda picture: (
            _from_middle(_log(picture, inside)[inside], percentile) - _from_middle(logs[inside], percentile)
        )

    return Nearness(
        distance=over_seeds("ΔE00", distance),
        colour=over_seeds("ΔE", lambda picture: _colour_apart(picture, truth, region)),
        contrast=over_seeds("stops", spread),
        highlights=over_seeds("stops", end(BRIGHT)),
        shadows=over_seeds("stops", end(DARK)),
        direction=over_seeds("", lambda picture: _same_direction(picture, truth, inside)),
        clipped=mean_figure([_at_the_top(truth[inside])], "%", METHOD, VERSION),
    )


def _log(picture: Floats, inside: Mask) -> Floats:
    y = gauss(luminance(np.where(inside[..., None], picture, np.float32(0.0))).astype(np.float32), SOFT)
    weight = np.maximum(gauss(inside.astype(np.float32), SOFT), np.float32(1e-3))
    floor = max(0.002 * float(y[inside].mean()), 1e-9)
    return np.asarray(np.log2(np.maximum(y / weight, floor)), dtype=np.float32)


def _at_the_top(lit: Floats) -> float:
    """Percent of pixels, shape (N, 3), of which a channel is at the highest value that there is of it."""
    return 100 * float(np.mean((lit >= TOP * lit.max(axis=0)).any(axis=1)))


def _from_middle(values: Floats, percentile: float) -> float:
    low, middle = np.percentile(values, (percentile, MIDDLE))
    return float(low - middle)


def _colour_apart(picture: Floats, truth: Floats, region: Region) -> float:
    table = Table.of(region)
    first, second = (table.means(each) for each in (picture, truth))
    lit = (first @ TO_XYZ[1] > 0) & (second @ TO_XYZ[1] > 0)
    if not lit.any():
        raise RefusedError("photograph", "no part of the zone is lit in both pictures")
    exposure = MIDDLE_GREY / np.exp(np.log(second[lit] @ TO_XYZ[1]).mean())
    labs = []
    for means in (first[lit], second[lit]):
        even = means * (second[lit] @ TO_XYZ[1] / (means @ TO_XYZ[1]))[:, None]
        labs.append(xyz2lab(np.maximum(even * exposure, 0.0) @ TO_XYZ.T))
    return float(np.hypot(*(labs[0] - labs[1])[:, 1:].T).mean())


def _same_direction(picture: Floats, truth: Floats, inside: Mask) -> float:
    """Correlation of the gradients of both pictures' slow light."""
    sigma = max(picture.shape[1] * SLOW, SOFT)
    fields = [np.stack(list(np.gradient(gauss(_log(each, inside), sigma))))[:, inside] for each in (picture, truth)]
    size = np.sqrt(float((fields[0] ** 2).sum()) * float((fields[1] ** 2).sum()))
    return float((fields[0] * fields[1]).sum() / size) if size > 0 else 0.0
