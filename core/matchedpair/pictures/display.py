"""The light that a display gives off, for measures of what is seen."""

from __future__ import annotations

import numpy as np

from matchedpair.errors import InputError
from matchedpair.pictures.picture import Floats
from matchedpair.pictures.srgb import light_of_codes
from matchedpair.pictures.view_transform import PLAIN_VIEW, view_transforms


def display_light(pixels: Floats, transform: str = "", exposure: float = 0.0) -> Floats:
    """Linear display light of linear picture light, shape (H, W, 3), Rec.709 primaries, 0 to 1.

    Parameters
    ----------
    transform : str
        ``DISPLAY / VIEW``; empty for plain sRGB, which shows light as it is up to its white.
    exposure : float
        In stops.

    Raises
    ------
    InputError
        When there is no such transform.
    """
    if not transform or (transform == view_transforms().default and transform.endswith(PLAIN_VIEW)):
        light = pixels * np.float32(2.0**exposure) if exposure else pixels
        return np.asarray(np.clip(light, np.float32(0.0), np.float32(1.0)), dtype=np.float32)
    shown = np.clip(view_transforms().apply(pixels, transform, exposure), 0.0, 1.0)
    return light_of_codes(shown)


def require_transform(transform: str) -> None:
    """Raise `InputError` when there is no such view transform; empty stands for plain sRGB."""
    if transform and transform not in view_transforms().names:
        raise InputError(view_transforms().unknown(transform))
