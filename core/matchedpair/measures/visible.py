"""Would it be seen: S-CIELAB (Zhang & Wandell, A spatial extension of CIELAB for digital color image reproduction,
1996).

Both pictures go through the same view transform to display light and into an opponent space; each channel is blurred
as the eye blurs it at a stated number of pixels per degree; what is left is compared in CIELAB (CIE 1976 ΔE). Noise
counts as a difference here, so the same figure for a picture against its own twin stands beside it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.correlation import Correlation
from matchedpair.measures.figure import Figure, Ratio, must_compare
from matchedpair.measures.kernels import lab_distance, lightness_curve, opponent_planes
from matchedpair.measures.places import TOO_FEW, Places, mean_places, place_ratio, places_figure, typical
from matchedpair.measures.region import Region
from matchedpair.pictures.filters import LEAST_WIDE, enlarged, gauss, reduced, reduced_gauss, wide_gauss
from matchedpair.pictures.picture import TO_XYZ, Floats
from matchedpair.pictures.strips import maps_in_strips

VERSION = 3
Display = Callable[[Floats], Floats]
View = list[Floats]
Parts = tuple[tuple[float, float], ...]
PIXELS_PER_DEGREE = 60.0
NOTICED, PLAIN = 1.0, 3.0
UNSEEN = 0.01  # ΔE; a hundredth of what is noticed
TO_OPPONENT = np.array([[0.279, 0.72, -0.107], [-0.449, 0.29, -0.077], [0.086, -0.59, 0.501]])
# weight and spread in degrees of each part of the eye's blur, exp(−r²/spread²)
_PARTS = (
    ((0.921, 0.0283), (0.105, 0.133), (-0.108, 4.336)),
    ((0.531, 0.0392), (0.330, 0.494)),
    ((0.488, 0.0536), (0.371, 0.386)),
)
# the weights of a channel together are 1
SPREADS = tuple(tuple((weight / sum(w for w, _ in parts), degrees) for weight, degrees in parts) for parts in _PARTS)
NEAR_DEGREES, FAR_DEGREES = 0.0536, 0.133  # the widest blur that is made in full, the narrowest that is not
INTO_OPPONENT = (TO_OPPONENT @ TO_XYZ).astype(np.float32)
FROM_OPPONENT = (np.linalg.inv(TO_OPPONENT) / TO_XYZ.sum(axis=1)[:, None]).astype(np.float32)  # relative to white
REACH = 3.5  # sigmas at which a near blur is cut
CUT, SLOPE = 0.008856, 7.787  # CIELAB's straight part for dark colours


@dataclass(frozen=True)
class VisibleFigure:
    """Visible difference in one zone, in ΔE; `own_noise` is the same figure for a picture against its own twin."""

    mean: Figure
    p95: float
    above_1_percent: float
    above_3_percent: float
    pixels_per_degree: float
    own_noise: Figure | None


def visible_maps(
    pictures: Sequence[Floats], display: Display, pixels_per_degree: float = PIXELS_PER_DEGREE
) -> list[Floats]:
    """ΔE at each pixel between the first picture and each of the others.

    Parameters
    ----------
    pictures : sequence of ndarray, shape (H, W, 3)
        Linear picture light; without invalid values.
    display : callable
        Gives linear display light, 0 to 1, of picture light.

    Returns
    -------
    list of ndarray of float32, shape (H, W)
    """
    step = _step(pixels_per_degree)
    far = [plane for picture in pictures for plane in _far(picture, display, pixels_per_degree, step)]
    compute = partial(_compare, count=len(pictures), display=display, pixels_per_degree=pixels_per_degree, step=step)
    return maps_in_strips(compute, [*pictures, *far], _reach(pixels_per_degree))


def seen(picture: Floats, display: Display, pixels_per_degree: float = PIXELS_PER_DEGREE) -> View:
    """What the eye takes in of a picture, shape (H, W, 3), as three planes: to be compared with others by `apart`. It
    takes as much memory as the picture.
    """
    step = _step(pixels_per_degree)
    far = _far(picture, display, pixels_per_degree, step)
    compute = partial(_view, display=display, pixels_per_degree=pixels_per_degree, step=step)
    return maps_in_strips(compute, [picture, *far], _reach(pixels_per_degree))


def apart(one: View, other: View) -> Floats:
    """ΔE between what is `seen` of two pictures at each pixel, shape (H, W)."""
    delta = np.empty(one[0].shape, dtype=np.float32)
    lab_distance(*one, *other, delta)
    return delta


def _step(pixels_per_degree: float) -> int:
    """By how much is reduced what reaches far."""
    far = _sigma(FAR_DEGREES, pixels_per_degree)
    return next(step for step in (8, 4, 2, 1) if step == 1 or far >= LEAST_WIDE * step)


def _reach(pixels_per_degree: float) -> int:
    return math.ceil(REACH * _sigma(NEAR_DEGREES, pixels_per_degree)) + 2 * _step(pixels_per_degree)


def visible_figure(delta: Floats, own: Floats | None, region: Region, pixels_per_degree: float) -> VisibleFigure:
    """Visible difference in a region from the map of ΔE, and from `own_noise_map`."""
    values = region.values(delta)
    place = min(int(0.95 * values.size), values.size - 1)
    values.partition(place)
    own_noise = None if own is None else Figure(math.sqrt(2.0) * region.mean(own), "ΔE", None, "twin", VERSION)
    return VisibleFigure(
        Figure(region.mean(delta), "ΔE", None, "visible", VERSION), float(values[place]),
        100 * float((values > NOTICED).mean()), 100 * float((values > PLAIN).mean()), pixels_per_degree, own_noise,
    )  # fmt: skip


@dataclass(frozen=True)
class VisibleNoise:
    """What an eye sees of the noise of one picture in one zone: ΔE between twins over √2.

    `typical` is that of a typical place, the mean where the zone is too small for places; `places` is for ratios.
    """

    typical: Figure
    worst: Figure
    mean: float
    places: Places | None


def visible_noise(own: Floats, region: Region, known: Correlation) -> VisibleNoise:
    """Visible noise of one picture in a region, from `own_noise_map` and how its noise hangs together."""
    mean, places = region.mean(own), mean_places(own, region, known)
    if places is None:
        figure = Figure(mean, "ΔE", None, "twin", VERSION)
        return VisibleNoise(figure, figure, mean, None)
    read = typical(places)
    usual, worst = (places_figure(read, value, "ΔE", VERSION) for value in (read.typical, read.worst_tenth))
    return VisibleNoise(usual, worst, mean, places)


def visible_noise_ratio(control: VisibleNoise, trial: VisibleNoise) -> Ratio:
    """The trial's visible noise over the control's in the same place. Raises `RefusedError`."""
    must_compare("visible_noise_ratio", control.typical, trial.typical)
    if control.places is None or trial.places is None:
        raise RefusedError("visible_noise_ratio", TOO_FEW)
    return place_ratio(control.places, trial.places, VERSION, "visible_noise_ratio", least=UNSEEN)


def own_noise_map(maps: Sequence[Floats]) -> Floats:
    """Visible noise of one picture at each pixel, from ΔE of a picture against each of its twins."""
    total = maps[0] if len(maps) == 1 else np.asarray(np.sum(maps, axis=0, dtype=np.float32))
    return np.asarray(total * np.float32(1 / (len(maps) * math.sqrt(2.0))))


def _compare(*planes: Floats, count: int, display: Display, pixels_per_degree: float, step: int) -> list[Floats]:
    """ΔE of the first picture and each other, from their light and what the eye takes in from far around, reduced."""
    views = [
        _view(
            picture, *planes[count + 3 * number :][:3], display=display, pixels_per_degree=pixels_per_degree, step=step
        )
        for number, picture in enumerate(planes[:count])
    ]
    return [apart(views[0], view) for view in views[1:]]


def _view(picture: Floats, *around: Floats, display: Display, pixels_per_degree: float, step: int) -> View:
    """What the eye takes in of a picture, from its light and what is taken in from far around, reduced."""
    view = [
        _blurred(plane, parts, pixels_per_degree)
        for plane, parts in zip(_opponent(display(picture)), SPREADS, strict=True)
    ]
    for plane, far in zip(view, around, strict=True):
        cv2.add(plane, enlarged(far, step, (plane.shape[0], plane.shape[1])), plane)
    lightness_curve(*view, FROM_OPPONENT, CUT, SLOPE)
    return view


def _blurred(plane: Floats, parts: Parts, pixels_per_degree: float) -> Floats:
    """The sum of the blurs that reach only near, each with its weight."""
    near = [(weight, degrees) for weight, degrees in parts if degrees < FAR_DEGREES]
    total = gauss(plane, _sigma(near[0][1], pixels_per_degree), REACH) * np.float32(near[0][0])
    for weight, degrees in near[1:]:
        total += np.float32(weight) * gauss(plane, _sigma(degrees, pixels_per_degree), REACH)
    return total


def _far(picture: Floats, display: Display, pixels_per_degree: float, step: int) -> list[Floats]:
    """The blurs that reach far, each with its weight, of the three channels at a reduced size."""
    light = maps_in_strips(lambda strip: [reduced(display(strip), step)], [picture], 0)[0]
    channels = []
    for plane, parts in zip(_opponent(light), SPREADS, strict=True):
        far = [(weight, degrees) for weight, degrees in parts if degrees >= FAR_DEGREES]
        blurs = [np.float32(weight) * _wide(plane, _sigma(degrees, pixels_per_degree), step) for weight, degrees in far]
        channels.append(sum(blurs[1:], blurs[0]))
    return channels


def _wide(plane: Floats, sigma: float, step: int) -> Floats:
    if sigma < 4 * LEAST_WIDE * step:
        return reduced_gauss(plane, sigma, step)
    return wide_gauss(plane, sigma / step)


def _opponent(display: Floats) -> list[Floats]:
    """The three opponent channels of linear display light."""
    planes = [np.empty(display.shape[:2], dtype=np.float32) for _ in range(3)]
    opponent_planes(display, INTO_OPPONENT, *planes)
    return planes


def _sigma(degrees: float, pixels_per_degree: float) -> float:
    """Sigma in pixels of exp(−r²/spread²)."""
    return degrees * pixels_per_degree / math.sqrt(2.0)
