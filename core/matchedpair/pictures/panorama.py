"""Figures of a light panorama: a picture of all directions, twice as wide as high (latitude and longitude)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter, label

from matchedpair.errors import InputError
from matchedpair.pictures.picture import Doubles, Mask, Picture, luminance

MAIN_LIGHT_SHARE_OF_PEAK = 0.2
WIDEST_DEGREES = 30.0


@dataclass(frozen=True)
class PanoramaFigures:
    """Figures of a light panorama.

    Parameters
    ----------
    brightest_to_darkest : float
        The brightest pixel over the darkest thousandth of all directions.
    stops : float
        The same in stops.
    azimuth_degrees, elevation_degrees : float
        Direction of the main light: to the right of the panorama's middle, and above the horizon.
    main_light_rgb : tuple of float
        Its mean colour, so that the brightest channel is 1.
    main_light_share : float
        Share of all light, by solid angle, that comes from it.
    main_light_degrees : float
        Diameter of a disc of the same solid angle.
    clipped : bool
        Whether many pixels share the highest value: the true range is then larger.
    """

    brightest_to_darkest: float
    stops: float
    azimuth_degrees: float
    elevation_degrees: float
    main_light_rgb: tuple[float, float, float]
    main_light_share: float
    main_light_degrees: float
    clipped: bool


def panorama_figures(picture: Picture) -> PanoramaFigures:
    """Measure a panorama.

    The main light is the connected place around the brightest direction that is brighter than a fifth of it, within
    30 degrees.

    Raises
    ------
    InputError
        When the picture is not twice as wide as high, not in linear light, or black.
    """
    width, height = picture.size
    if abs(width - 2 * height) > 1:
        raise InputError(f"a light panorama is twice as wide as high; this picture has {width} × {height} pixels")
    if not picture.floating:
        raise InputError(f"a light panorama must hold linear light (EXR or HDR), not {picture.bits}-bit values")
    y = np.where(picture.valid, luminance(picture.pixels), 0.0)
    if not np.isfinite(y).all() or y.max() <= 0.0:
        raise InputError("the panorama is black")
    elevation = math.pi * (0.5 - (np.arange(height) + 0.5) / height)
    azimuth = 2.0 * math.pi * ((np.arange(width) + 0.5) / width - 0.5)
    solid = np.broadcast_to(np.cos(elevation)[:, None], y.shape) * (2.0 * math.pi**2 / (width * height))
    main = _main_light(y, elevation, azimuth)
    light = y * solid
    weight = light[main]
    direction = np.array([
        (weight * (np.cos(elevation)[:, None] * np.sin(azimuth)[None, :])[main]).sum(),
        (weight * np.broadcast_to(np.sin(elevation)[:, None], y.shape)[main]).sum(),
        (weight * (np.cos(elevation)[:, None] * np.cos(azimuth)[None, :])[main]).sum(),
    ])  # fmt: skip
    direction /= np.linalg.norm(direction)
    colour = (picture.pixels[main] * solid[main][:, None]).sum(axis=0)
    darkest = _darkest(y, solid)
    ratio = float(y.max()) / darkest
    cap = float(solid[main].sum())
    return PanoramaFigures(
        brightest_to_darkest=ratio,
        stops=math.log2(ratio),
        azimuth_degrees=math.degrees(math.atan2(direction[0], direction[2])),
        elevation_degrees=math.degrees(math.asin(max(-1.0, min(1.0, float(direction[1]))))),
        main_light_rgb=tuple(float(value) for value in colour / colour.max()),  # type: ignore[arg-type]  # three of them
        main_light_share=float(weight.sum() / light.sum()),
        main_light_degrees=2.0 * math.degrees(math.acos(max(-1.0, 1.0 - cap / (2.0 * math.pi)))),
        clipped=bool((y >= y.max() * (1.0 - 1e-6)).sum() > max(8, 2e-5 * y.size)),
    )


def _main_light(y: Doubles, elevation: Doubles, azimuth: Doubles) -> Mask:
    """The connected place around the brightest direction; the panorama's left and right edges touch."""
    soft = gaussian_filter(y, max(0.7, y.shape[0] / 720.0), mode=("nearest", "wrap"))
    row, column = np.unravel_index(int(np.argmax(soft)), y.shape)
    turned = np.roll(soft, y.shape[1] // 2 - int(column), axis=1)
    bright, _ = label(turned > MAIN_LIGHT_SHARE_OF_PEAK * turned.max())
    place = np.roll(bright == bright[row, y.shape[1] // 2], int(column) - y.shape[1] // 2, axis=1)
    up, away = elevation[row], azimuth - azimuth[column]
    cosine = np.sin(elevation)[:, None] * math.sin(up) + np.cos(elevation)[:, None] * math.cos(up) * np.cos(away)
    return np.asarray(place & (cosine > math.cos(math.radians(WIDEST_DEGREES))))


def _darkest(y: Doubles, solid: Doubles) -> float:
    """The luminance that a thousandth of all directions lies below; the least positive one when that is black."""
    order = np.argsort(y, axis=None)
    reached = np.cumsum(solid.ravel()[order]) >= 0.001 * float(solid.sum())
    value = float(y.ravel()[order][int(np.argmax(reached))])
    return value if value > 0.0 else float(y[y > 0.0].min())
