"""Loops over pixels that numpy would make in many passes. All release the interpreter, so that strips run side by side.

They lie in one file, since a cached kernel is known by its own file only. ``python -m matchedpair.measures.kernels``
compiles them all, as set-up does.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from matchedpair.pictures import pyramid_kernels
from matchedpair.pictures.picture import Floats

_options: dict[str, Any] = {
    "cache": True,
    "nogil": True,
    "fastmath": {"contract", "reassoc", "nsz", "arcp", "nnan", "ninf"},
}


@numba.njit(inline="always")
def _cube_root(value: Any) -> Any:
    """Of a float32 above 0: Newton's steps, which need no division, from a guess by the exponent."""
    guess = np.int32(np.int32(1419967116) - np.float32(value).view(np.int32) // np.int32(3))
    inverse = guess.view(np.float32)
    third = np.float32(1.0 / 3.0)
    for _ in range(3):
        inverse = inverse * (np.float32(4.0) - value * inverse * inverse * inverse) * third
    return value * inverse * inverse


@numba.njit(**_options)  # type: ignore[untyped-decorator]
def opponent_planes(pixels: Floats, matrix: Floats, first: Floats, second: Floats, third: Floats) -> None:
    """The three channels of a picture, shape (h, w, 3), after a matrix, as three planes of shape (h, w)."""
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            a, b, c = pixels[row, column, 0], pixels[row, column, 1], pixels[row, column, 2]
            first[row, column] = matrix[0, 0] * a + matrix[0, 1] * b + matrix[0, 2] * c
            second[row, column] = matrix[1, 0] * a + matrix[1, 1] * b + matrix[1, 2] * c
            third[row, column] = matrix[2, 0] * a + matrix[2, 1] * b + matrix[2, 2] * c


@numba.njit(**_options)  # type: ignore[untyped-decorator]
def lightness_curve(first: Floats, second: Floats, third: Floats, matrix: Floats, cut: float, slope: float) -> None:
    """CIELAB's curve of three planes after a matrix, in place: cube root, and a straight line below `cut`."""
    low, steep = np.float32(cut), np.float32(slope)
    m = matrix.ravel()
    for row in range(first.shape[0]):
        for column in range(first.shape[1]):
            a, b, c = first[row, column], second[row, column], third[row, column]
            x = m[0] * a + m[1] * b + m[2] * c
            y = m[3] * a + m[4] * b + m[5] * c
            z = m[6] * a + m[7] * b + m[8] * c
            first[row, column] = _cube_root(max(x, low)) + steep * (min(x, low) - low)
            second[row, column] = _cube_root(max(y, low)) + steep * (min(y, low) - low)
            third[row, column] = _cube_root(max(z, low)) + steep * (min(z, low) - low)


@numba.njit(**_options)  # type: ignore[untyped-decorator]
def lab_distance(x1: Floats, y1: Floats, z1: Floats, x2: Floats, y2: Floats, z2: Floats, result: Floats) -> None:
    """CIE 1976 ΔE of two pictures after `lightness_curve`, each as three planes."""
    for row in range(result.shape[0]):
        for column in range(result.shape[1]):
            x = x1[row, column] - x2[row, column]
            y = y1[row, column] - y2[row, column]
            z = z1[row, column] - z2[row, column]
            light, red, blue = np.float32(116.0) * y, np.float32(500.0) * (x - y), np.float32(200.0) * (y - z)
            result[row, column] = np.sqrt(light * light + red * red + blue * blue)


def compile_all() -> None:
    """Call every kernel once on a tiny picture."""
    pixels = np.ones((4, 4, 3), dtype=np.float32)
    planes = [np.ones((4, 4), dtype=np.float32) for _ in range(3)]
    opponent_planes(pixels, np.eye(3, dtype=np.float32), *planes)
    lightness_curve(*planes, np.eye(3, dtype=np.float32), 0.01, 7.8)
    lab_distance(*planes, *planes, planes[0].copy())
    pyramid_kernels.compile_all()


if __name__ == "__main__":
    compile_all()
