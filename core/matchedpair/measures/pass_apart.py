"""How near one engine's pass is to another's, and how grainy each is.

Engines write the same pass in ranges of their own (occlusion within another reach, depth in another unit), so the one
is brought to the other's range by its fifth and ninety-fifth percentile before they are compared by eye. A pass that is
multiplied into the picture is compared with the other there too: what counts is the picture with it laid over.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.figure import Figure
from matchedpair.measures.region import Region
from matchedpair.measures.render import RenderMeasures, Viewing
from matchedpair.measures.visible import own_noise_map, visible_maps
from matchedpair.pictures.display import display_light
from matchedpair.pictures.filters import gauss
from matchedpair.pictures.picture import Floats, Mask, luminance

VERSION = 1
LOW, HIGH = 5.0, 95.0
LAID_OVER = ("occlusion",)  # passes that darken the picture they are laid over
FLAT = 1e-6
CALM = 3.0  # pixels


@dataclass(frozen=True)
class PassApart:
    """Mean visible difference of two passes in ΔE after their ranges are matched, and of the picture with each laid
    over it, None for a pass that is not laid over; `gain` is what the one was multiplied by.
    """

    apart: Figure
    laid_over: Figure | None
    gain: float


def pass_noise(seeds: Sequence[Floats], counted: Mask) -> Figure:
    """Visible noise of a pass in a typical place, in ΔE, shown from black to its brightest. Raises `RefusedError`."""
    scale = _to_white(seeds[0], counted)
    zone = RenderMeasures([seed * scale for seed in seeds], counted).zone(counted)
    if zone.visible_noise is None:
        reasons = [zone.refused[name] for name in ("noise.visible", "noise") if name in zone.refused]
        raise RefusedError("pass", reasons[0] if reasons else "one render of it does not show its noise")
    return zone.visible_noise.typical


def pass_apart(
    name: str, own: Sequence[Floats], others: Sequence[Floats], picture: Floats, counted: Mask,
    viewing: Viewing | None = None,
) -> PassApart:  # fmt: skip
    """Hold a pass against another engine's.

    Parameters
    ----------
    name : str
        Of the pass.
    own, others : sequence of ndarray, shape (H, W, 3)
        The pass of both, one a seed; from two seeds on their noise is left out of the distance.
    picture : ndarray, shape (H, W, 3)
        Linear light that both are laid over.

    Raises
    ------
    RefusedError
        When they differ in size or one holds a single value.
    """
    if own[0].shape != others[0].shape:
        raise RefusedError("pass", "the passes differ in size")
    seen = viewing or Viewing()
    mine, theirs = (np.asarray(np.mean(seeds, axis=0, dtype=np.float32)) for seeds in (own, others))
    low, high = _ends(mine, counted)
    wanted_low, wanted_high = _ends(theirs, counted)
    gain = (wanted_high - wanted_low) / (high - low)
    matched = [np.asarray(np.maximum((seed - low) * gain + wanted_low, 0.0), dtype=np.float32) for seed in own]
    region, scale = Region(counted), _to_white(theirs, counted)

    def distance(shown: Callable[[Floats], Floats], transform: str, exposure: float) -> Figure:
        show = partial(display_light, transform=transform, exposure=exposure)
        sides = [[shown(seed) for seed in seeds] for seeds in (matched, others)]
        value = _noise_apart(
            sides, partial(visible_maps, display=show, pixels_per_degree=seen.pixels_per_degree), region
        )
        return Figure(value, "ΔE", None, "pair", VERSION)

    apart = distance(lambda plane: plane * scale, "", 0.0)
    laid = distance(lambda plane: picture * plane, seen.transform, seen.exposure) if name in LAID_OVER else None
    return PassApart(apart, laid, float(gain))


def _noise_apart(
    sides: Sequence[Sequence[Floats]], maps: Callable[[Sequence[Floats]], list[Floats]], region: Region
) -> float:
    """Mean ΔE between the means of both sides' seeds, less what their noise alone would show, by squares."""
    means = [np.asarray(np.mean(seeds, axis=0, dtype=np.float32)) for seeds in sides]
    left = region.mean(maps(means)[0]) ** 2
    for seeds in sides:
        if len(seeds) > 1:
            left -= region.mean(own_noise_map(maps(seeds))) ** 2 / len(seeds)
    return math.sqrt(max(left, 0.0))


def _ends(plane: Floats, counted: Mask) -> tuple[float, float]:
    # noise would widen the range of the one and not of the other, so it is smoothed away first
    calm = gauss(luminance(np.where(counted[..., None], plane, np.float32(0.0))).astype(np.float32), CALM)
    weight = np.maximum(gauss(counted.astype(np.float32), CALM), np.float32(1e-3))
    low, high = np.percentile((calm / weight)[counted], (LOW, HIGH))
    if high - low <= FLAT * max(abs(float(high)), FLAT):
        raise RefusedError("pass", "the pass holds a single value, so its range cannot be matched")
    return float(low), float(high)


def _to_white(plane: Floats, counted: Mask) -> np.float32:
    """What brings its brightest to white; a pass that stays below white is left as it is."""
    top = float(np.percentile(luminance(plane)[counted], 99.0))
    return np.float32(1.0 / top if top > 1.0 else 1.0)
