"""Blotches and grain: noise by octave, and the slow uneven patches among it.

D = (Y1 − Y2)/g of twins, or E = (Y − R)/w against a reference, clipped at the 0.05th and 99.95th percentile. In the
band between two Gaussian blurs, level_a = mean((G_a∗D − G_2a∗D)²) / Σ(g_a − g_2a)² is the same for every a when
pixels are independent. grain = level(1.4) / level of the finest octave: 1 for independent pixels, more behind a pixel
filter or a denoiser. index_a = level_a / level(1.4): never by the finest octave, which every filtered render would
fail. Blotchy when index(5.6) > 1.8 or index(11.2) > 4. Amplitude A and scale s_b of the patches: the fit of
A²·s_b²/(s_b² + s²) to mean((G_s∗D)²) − level(1.4)·Σg_s² at s = 2, 4, 8, 16.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from scipy.optimize import nnls

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure
from matchedpair.measures.light import MOST_VALUES, Light
from matchedpair.measures.region import Region
from matchedpair.pictures.filters import (
    FINEST_REACH,
    OCTAVES,
    Level,
    blur_power,
    blurs,
    coarser_bands,
    finest_bands,
    white_power,
)
from matchedpair.pictures.picture import Floats
from matchedpair.pictures.strips import maps_in_strips

VERSION = 3
CLIPPED = 0.0005
BLOTCHY = {5.6: 1.8, 11.2: 4.0}
FIT_AT = (2.0, 4.0, 8.0, 16.0)
SHOWN_AT = 4.0
SCALES = np.exp(np.linspace(math.log(0.5), math.log(400.0), 160))
LEAST_PATCHES = 20.0  # independent patches of an octave in a zone, below which its level is chance
MOST_OF_HEIGHT = 20
OWN_OCTAVE = (
    0.5 + 0.2 - 2 / 3.5
)  # share of a patch's variance in the band that begins at its own scale, by the form above


@dataclass(frozen=True)
class BlotchFigure:
    """Blotches in one zone.

    Parameters
    ----------
    found : bool or None
        None when the zone is too small to tell patches from chance.
    amplitude : Figure or None
        Relative spread of the patches in percent; None when none were found.
    scale : Figure or None
        Radius (sigma) of a patch in pixels; None when none were found, or when they are wider than a twentieth of the
        height.
    grain : Figure
        1 for independent pixels.
    indices : dict
        index_a by a.
    smallest_seen_percent : float
        Amplitude of patches of 5.6 pixels that would just have counted.
    varying, lasting : bool or None
        Whether they are other ones with each seed (seen by twins), and the same in all (seen against a reference);
        None where nothing tells.
    """

    found: bool | None
    amplitude: Figure | None
    scale: Figure | None
    grain: Figure
    indices: dict[float, float]
    smallest_seen_percent: float
    varying: bool | None = None
    lasting: bool | None = None


class Blotches:
    """Noise by octave of relative differences.

    Parameters
    ----------
    planes : sequence of ndarray, shape (H, W)
        Relative differences, 0 where nothing counts.
    share : float
        How much of a plane's variance is one picture's: 0.5 for a difference of twins, 1 against a reference.
    method : str
        ``twin`` (sees only what varies with the seed) or ``reference``.
    """

    def __init__(self, planes: Sequence[Floats], region: Region, *, share: float, method: str) -> None:
        self.method = method
        self._share = share
        self._bands: list[Level] = []
        self._blurs: list[Level] = []
        for plane in planes:
            low, high = _ends(plane, region)
            finest, next_finest, halved = maps_in_strips(partial(_finest, low=low, high=high), [plane], FINEST_REACH)
            self._bands += [Level(0.0, 1, finest), Level(OCTAVES[0], 2, next_finest)]
            self._bands += [Level(band.sigma, band.step, np.square(band.plane)) for band in coarser_bands(halved)]
            self._blurs += blurs(halved, FIT_AT, done=OCTAVES[1], step=2)

    def figure(self, region: Region) -> BlotchFigure:
        """Blotches in a region. Raises `RefusedError` when it is too small to tell."""
        levels = self._levels(region)
        if 1.4 not in levels or 0.0 not in levels:
            raise RefusedError("blotches", "the zone is too small: it holds too few patches of even the finest octaves")
        base = levels[1.4]
        if base <= 0.0 or levels[0.0] <= 0.0:
            raise RefusedError("blotches", "there is no noise in this zone to tell patches from")
        indices = {sigma: level / base for sigma, level in levels.items() if sigma >= 1.4}
        told = [indices[sigma] > most for sigma, most in BLOTCHY.items() if sigma in indices]
        found = any(told) if told else None
        amplitude, scale = self._fit(region, base) if found else (None, None)
        grain = Figure(base / levels[0.0], "×", None, self.method, VERSION)
        least = math.sqrt((BLOTCHY[5.6] - 1.0) * base * white_power(5.6, 11.2) / OWN_OCTAVE)
        twin = self.method == "twin"
        return BlotchFigure(
            found, amplitude, scale, grain, indices, 100 * least, found if twin else None, None if twin else found
        )

    def excess(self, region: Region) -> dict[float, float]:
        """Variance of one pixel by octave, as far as the region tells."""
        return self._levels(region)

    def slow(self) -> Floats:
        """The map of slow patches in percent: the first difference blurred by 4 pixels, at half of its size."""
        plane = next(level.plane for level in self._blurs if level.sigma == SHOWN_AT)
        return np.asarray(100 * plane * math.sqrt(self._share), dtype=np.float32)

    def _levels(self, region: Region) -> dict[float, float]:
        """Variance of one pixel by each octave, as far as the region holds enough of its patches."""
        edges = (0.0, *OCTAVES)
        found: dict[float, float] = {}
        for number, sigma in enumerate(edges[:-1]):
            patches = region.count / (4 * math.pi * max(sigma, edges[number + 1] / 2) * edges[number + 1])
            values = _means(self._bands, sigma, region)
            if values and patches >= LEAST_PATCHES:
                found[sigma] = self._share * float(np.mean(values)) / white_power(sigma, edges[number + 1])
        return found

    def _fit(self, region: Region, base: float) -> tuple[Figure | None, Figure | None]:
        spread = []
        for sigma in FIT_AT:
            squares = []
            for level in self._blurs:
                part = region.at(level.step)
                if level.sigma == sigma and part is not None:
                    squares.append(part.mean(np.square(level.plane)) - part.mean(level.plane) ** 2)
            spread.append(self._share * float(np.mean(squares)) - base * blur_power(sigma))
        measured = np.array(spread)
        best = (math.inf, 0.0, 0.0)
        for scale in SCALES:
            shape = scale**2 / (scale**2 + np.square(FIT_AT))
            weight = 1.0 / np.maximum(np.abs(measured), 1e-12)
            powers, rest = nnls((shape * weight)[:, None], measured * weight)
            if rest < best[0]:
                best = (float(rest), float(powers[0]), float(scale))
        _, power, scale = best
        if power <= 0.0:
            return None, None
        amplitude = 100 * math.sqrt(power)
        off = 0.2 if self.method == "twin" else 0.1
        figure = Figure(amplitude, "%", (amplitude * (1 - off), amplitude * (1 + off)), self.method, VERSION)
        if scale > (region.bottom - region.top) / MOST_OF_HEIGHT:
            return figure, None
        return figure, Figure(scale, "px", None, self.method, VERSION)


def varying_blotches(light: Light) -> Blotches:
    """Those of twins over all that counts; their scale is noted in `light.found`."""
    region = Region(light.valid)
    blotches = Blotches(light.differences(), region, share=0.5, method="twin")
    light.found.blotch_scale = (_scale(blotches, region),)
    return blotches


def _scale(blotches: Blotches, region: Region) -> float | None:
    """In pixels, a twentieth of the height where it is wider; None without patches, or nothing to tell them by."""
    try:
        figure = blotches.figure(region)
    except RefusedError:
        return None
    if not figure.found:
        return None
    return figure.scale.value if figure.scale else region.shape[0] / MOST_OF_HEIGHT


def both_ways(varying: Blotches, lasting: Blotches, region: Region, seeds: int) -> BlotchFigure:
    """Blotches by twins and against a reference: those that vary with the seed, those that all seeds share, or both.

    Parameters
    ----------
    lasting : Blotches
        Of the mean of all seeds against the reference.
    """
    by_twins, by_reference = varying.figure(region), lasting.figure(region)
    own, whole = varying.excess(region), lasting.excess(region)
    shared = [
        sigma
        for sigma, most in BLOTCHY.items()
        if by_reference.indices.get(sigma, 0.0) > most and whole[sigma] - own.get(sigma, 0.0) / seeds > whole[sigma] / 2
    ]
    told = by_reference if shared else by_twins
    return replace(
        told, found=bool(shared) or by_twins.found, varying=by_twins.found, grain=by_twins.grain,
        lasting=bool(shared) if by_reference.found is not None else None,
    )  # fmt: skip


def _ends(plane: Floats, region: Region) -> tuple[float, float]:
    """The 0.05th and 99.95th percentile; of large pictures, of every so many-th value."""
    values = region.values(plane)
    values = values[:: max(values.size // MOST_VALUES, 1)].copy()
    ends = [int(CLIPPED * (values.size - 1)), int((1 - CLIPPED) * (values.size - 1))]
    values.partition(ends)
    return float(values[ends[0]]), float(values[ends[1]])


def _finest(plane: Floats, *, low: float, high: float) -> list[Floats]:
    finest, next_finest, halved = finest_bands(np.clip(plane, np.float32(low), np.float32(high)))
    return [np.square(finest), np.square(next_finest), halved]


def _means(levels: Sequence[Level], sigma: float, region: Region) -> list[float]:
    """Mean over a region of each of the planes of one octave."""
    parts = [(level.plane, region.at(level.step)) for level in levels if level.sigma == sigma]
    return [part.mean(plane) for plane, part in parts if part is not None]
