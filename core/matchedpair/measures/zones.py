"""Zones: named rectangles of a picture, measured on their own or left out."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from matchedpair.errors import InputError
from matchedpair.pictures.picture import Mask

WHOLE = "whole"


@dataclass(frozen=True)
class Zone:
    """A rectangle in pixels from the top left corner."""

    name: str
    x: int
    y: int
    width: int
    height: int

    @classmethod
    def parse(cls, text: str, name: str = "") -> Zone:
        """Read ``X,Y,W,H``, or ``NAME=X,Y,W,H`` when no name is given. Raises `InputError`."""
        if not name:
            name, equals, text = text.partition("=")
            if not equals or not name.strip() or name == WHOLE:
                raise InputError(f"a zone is NAME=X,Y,W,H with a name other than {WHOLE!r}, got {name!r}")
        parts = text.split(",")
        try:
            x, y, width, height = (int(part) for part in parts)
        except ValueError:
            raise InputError(f"zone {name!r}: expected four whole numbers X,Y,W,H, got {text!r}") from None
        if width < 1 or height < 1:
            raise InputError(f"zone {name!r}: width and height must be at least 1")
        return cls(name.strip(), x, y, width, height)

    def mask(self, size: tuple[int, int]) -> Mask:
        """True inside, shape (H, W). Raises `InputError` when any of it lies outside a picture of this size."""
        width, height = size
        if self.x < 0 or self.y < 0 or self.x + self.width > width or self.y + self.height > height:
            raise InputError(f"zone {self.name!r} reaches outside the picture of {width}×{height} pixels")
        mask = np.zeros((height, width), dtype=np.bool_)
        mask[self.y : self.y + self.height, self.x : self.x + self.width] = True
        return mask


def without(mask: Mask, left_out: Iterable[Zone]) -> Mask:
    """A copy of `mask`, shape (H, W), with the left-out zones cleared. Raises `InputError`."""
    kept = mask.copy()
    for zone in left_out:
        kept &= ~zone.mask((mask.shape[1], mask.shape[0]))
    return kept
