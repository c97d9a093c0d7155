"""Half floats as bits: numpy converts them one at a time, and eight million pixels would keep a screen waiting.

All release the interpreter. ``python -m matchedpair.measures.kernels`` compiles them with the others.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

Bits = NDArray[np.uint16]
EXPONENT, ONE, QUIET_NAN = 0x7C00, 0x3C00, 0x7E00
LARGEST_HALF = 65504.0
AS_FLOAT = np.arange(65536, dtype=np.uint16).view(np.float16).astype(np.float32)

_options: dict[str, Any] = {"cache": True, "nogil": True}


@numba.njit(inline="always")
def _half_bits(value: Any) -> Any:
    """Of a finite float32, to the nearest even; beyond the largest half, the largest."""
    bits = np.float32(value).view(np.uint32)
    sign = (bits >> np.uint32(16)) & np.uint32(0x8000)
    size = bits & np.uint32(0x7FFFFFFF)
    if size >= np.uint32(0x477FE000):
        return np.uint16(sign | np.uint32(0x7BFF))
    if size < np.uint32(0x38800000):  # below the smallest normal half: adding 0.5 puts the rounded bits at the low end
        small = np.float32(np.uint32(size).view(np.float32) + np.float32(0.5)).view(np.uint32)
        return np.uint16(sign | (small - np.uint32(0x3F000000)))
    odd = (size >> np.uint32(13)) & np.uint32(1)
    rounded = size + np.uint32(0xC8000FFF) + odd
    return np.uint16(sign | ((rounded >> np.uint32(13)) & np.uint32(0x7FFF)))


@numba.njit(**_options)  # type: ignore[untyped-decorator]
def with_validity(raw: Bits, red: int, green: int, blue: int, alpha: int, rgba: Bits) -> None:
    """Colour channels of half floats, shape (h, w, n), as (h, w, 4); the fourth is 1 where a pixel is valid.

    `alpha` is the channel whose 0 makes a pixel invalid; -1 for none.
    """
    for row in range(rgba.shape[0]):
        for column in range(rgba.shape[1]):
            r, g, b = raw[row, column, red], raw[row, column, green], raw[row, column, blue]
            rgba[row, column, 0], rgba[row, column, 1], rgba[row, column, 2] = r, g, b
            good = (r & EXPONENT) != EXPONENT and (g & EXPONENT) != EXPONENT and (b & EXPONENT) != EXPONENT
            if good and alpha >= 0:
                good = (raw[row, column, alpha] & 0x7FFF) != 0
            rgba[row, column, 3] = ONE if good else 0


@numba.njit(**_options)  # type: ignore[untyped-decorator]
def to_halves(values: Any, bits: Bits) -> None:
    """Floats, shape (h, w, n), as half floats; what is not finite stays so."""
    for row in range(values.shape[0]):
        for column in range(values.shape[1]):
            for channel in range(values.shape[2]):
                value = values[row, column, channel]
                bits[row, column, channel] = _half_bits(value) if np.isfinite(value) else QUIET_NAN


@numba.njit(**_options)  # type: ignore[untyped-decorator]
def halved(full: Bits, as_float: Any, half: Bits) -> None:
    """The mean of each 2 by 2 pixels, of the valid ones only; its fourth channel is the share that is valid."""
    for row in range(half.shape[0]):
        for column in range(half.shape[1]):
            red = green = blue = weight = np.float32(0.0)
            count = 0
            for y in range(2 * row, min(2 * row + 2, full.shape[0])):
                for x in range(2 * column, min(2 * column + 2, full.shape[1])):
                    count += 1
                    share = as_float[full[y, x, 3]]
                    if share > 0.0:
                        red += share * as_float[full[y, x, 0]]
                        green += share * as_float[full[y, x, 1]]
                        blue += share * as_float[full[y, x, 2]]
                        weight += share
            if weight > 0.0:
                half[row, column, 0] = _half_bits(red / weight)
                half[row, column, 1] = _half_bits(green / weight)
                half[row, column, 2] = _half_bits(blue / weight)
                half[row, column, 3] = _half_bits(weight / np.float32(count))
            else:
                half[row, column, :3] = QUIET_NAN
                half[row, column, 3] = 0


def compile_all() -> None:
    """Call every kernel once on a tiny picture."""
    rgba, small = np.zeros((2, 2, 4), dtype=np.uint16), np.zeros((1, 1, 4), dtype=np.uint16)
    with_validity(np.zeros((2, 2, 3), dtype=np.uint16), 0, 1, 2, -1, rgba)
    to_halves(np.zeros((2, 2, 3), dtype=np.float32), np.zeros((2, 2, 3), dtype=np.uint16))
    halved(rgba, AS_FLOAT, small)
