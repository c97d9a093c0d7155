"""A picture in memory, and its luminance."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]
Mask = NDArray[np.bool_]

REC709 = (0.2126, 0.7152, 0.0722)
# CIE XYZ (1931) of linear Rec.709 with a D65 white, from the primaries of ITU-R BT.709
TO_XYZ = np.array(
    [
        [0.4123908, 0.3575843, 0.1804808],
        [0.2126390, 0.7151687, 0.0721923],
        [0.0193308, 0.1191948, 0.9505322],
    ]
)


@dataclass(frozen=True)
class Picture:
    """Pixels of one file and what the file says of them.

    Parameters
    ----------
    pixels : ndarray, shape (H, W, 3)
        Linear light, Rec.709, float32. May hold invalid values; `valid` says where.
    valid : ndarray of bool, shape (H, W)
        False where a channel is not finite or the alpha is 0.
    channels : tuple of str
        The channel names in the file.
    bits : int
        Bits a channel in the file: 8 and 16 (integer) or 16 and 32 (float).
    floating : bool
        Whether the file holds floating-point values.
    colour_space : str
        What the file or its format says about encoding; empty when it says nothing.
    """

    pixels: Floats
    valid: Mask
    channels: tuple[str, ...]
    bits: int
    floating: bool
    colour_space: str

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.pixels.shape[1], self.pixels.shape[0]


def luminance(pixels: Floats) -> Doubles:
    """Rec.709 luminance of linear RGB: 0.2126 R + 0.7152 G + 0.0722 B.

    Parameters
    ----------
    pixels : ndarray, shape (H, W, 3)
        Linear light.

    Returns
    -------
    ndarray of float64, shape (H, W)
    """
    return np.asarray(pixels.astype(np.float64) @ np.array(REC709))
