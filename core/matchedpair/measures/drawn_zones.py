"""Zones as they are kept: drawn on a view in shares of the full picture, so that they fit every size and crop."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from skimage.draw import polygon2mask

from matchedpair.errors import InputError
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.picture import Mask

RECTANGLE, POLYGON = "rectangle", "polygon"
MEASURE, LEAVE_OUT = "measure", "leave out"
SHAPES, KINDS = (RECTANGLE, POLYGON), (MEASURE, LEAVE_OUT)
MOST_POINTS = 200
LEAST_SHARE = 1e-6
Crop = tuple[int, int, int, int]


@dataclass(frozen=True)
class DrawnZone:
    """A zone of a view.

    Parameters
    ----------
    kind : str
        ``measure``, or ``leave out``: its pixels then count nowhere.
    shape : str
        ``rectangle`` with two opposite corners, or ``polygon`` with at least three.
    points : tuple of (x, y)
        From the top left, in shares of the full picture's width and height, 0 to 1.
    """

    name: str
    kind: str
    shape: str
    points: tuple[tuple[float, float], ...]

    def mask(self, size: tuple[int, int], crop: Crop | None = None) -> Mask:
        """True where a pixel's middle lies inside, shape (H, W) of the crop, or of the full picture of this size."""
        width, height = size
        corners = np.array([(y * height - 0.5, x * width - 0.5) for x, y in self._outline()])
        drawn = polygon2mask((height, width), corners)  # type: ignore[no-untyped-call]  # skimage has no types
        mask = np.asarray(drawn, dtype=np.bool_)
        if crop is None:
            return mask
        x, y, wide, high = crop
        return mask[y : y + high, x : x + wide]

    def pixel_box(self, size: tuple[int, int]) -> Crop:
        """The smallest box of whole pixels around it: x, y, width, height."""
        xs, ys = zip(*self.points, strict=True)
        left, top = math.floor(min(xs) * size[0] + 1e-6), math.floor(min(ys) * size[1] + 1e-6)
        right, bottom = math.ceil(max(xs) * size[0] - 1e-6), math.ceil(max(ys) * size[1] - 1e-6)
        return left, top, max(right - left, 1), max(bottom - top, 1)

    def _outline(self) -> Sequence[tuple[float, float]]:
        if self.shape == POLYGON:
            return self.points
        (x0, y0), (x1, y1) = self.points
        return (x0, y0), (x1, y0), (x1, y1), (x0, y1)


def parse_zone(name: Any, kind: Any, shape: Any, points: Any) -> DrawnZone:
    """A zone from plain values. Raises `InputError` saying what was expected."""
    if not isinstance(name, str) or not name.strip() or len(name) > 80 or name.strip() == WHOLE:
        raise InputError(f"a zone needs a name of at most 80 letters, other than {WHOLE!r}")
    title = f"zone {name.strip()!r}"
    if kind not in KINDS:
        raise InputError(f"{title}: the kind must be one of {', '.join(KINDS)}, got {kind!r}")
    if shape not in SHAPES:
        raise InputError(f"{title}: the shape must be one of {', '.join(SHAPES)}, got {shape!r}")
    if not isinstance(points, list | tuple) or not all(_is_point(point) for point in points):
        raise InputError(f"{title}: expected points of two finite numbers each")
    needed = len(points) == 2 if shape == RECTANGLE else 3 <= len(points) <= MOST_POINTS
    if not needed:
        wanted = "two opposite corners" if shape == RECTANGLE else f"3 to {MOST_POINTS} corners"
        raise InputError(f"{title}: a {shape} has {wanted}, got {len(points)}")
    if not all(0.0 <= value <= 1.0 for point in points for value in point):
        raise InputError(f"{title} reaches outside the picture; its corners must lie between 0 and 1")
    zone = DrawnZone(name.strip(), kind, shape, tuple((float(x), float(y)) for x, y in points))
    if _share(zone) < LEAST_SHARE:
        raise InputError(f"{title} has no area")
    return zone


def measured_mask(within: Sequence[DrawnZone], size: tuple[int, int], crop: Crop | None, valid: Mask) -> Mask:
    """The valid pixels that no left-out zone covers, shape as `valid`."""
    kept = valid.copy()
    for zone in within:
        if zone.kind == LEAVE_OUT:
            kept &= ~zone.mask(size, crop)
    return kept


def _is_point(point: Any) -> bool:
    numbers = isinstance(point, list | tuple) and len(point) == 2
    return numbers and all(
        isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value) for value in point
    )


def _share(zone: DrawnZone) -> float:
    """The outline's share of the picture (shoelace formula)."""
    outline = np.array(zone._outline())
    x, y = outline.T
    return 0.5 * abs(float(np.dot(x, np.roll(y, 1)) - np.dot(y, np.roll(x, 1))))
