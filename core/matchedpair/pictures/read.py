"""Reads pictures: their light and where they are valid."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from matchedpair.errors import InputError, PictureError
from matchedpair.pictures.layers import colour_of
from matchedpair.pictures.picture import Floats, Mask, Picture
from matchedpair.pictures.picture_file import KINDS, PictureHeader, opened, refuse_too_large
from matchedpair.pictures.strips import in_strips

ABSURD, MOST_LIGHT = 1e12, 1e15
SURELY_LIGHT = 1e6  # below it nothing is looked at twice
USUAL = 0.999
BYTES_OF_PICTURE = 13  # three floats and a mark, for each pixel of a picture that was read


def read_picture(path: Path, layer: str = "", *, in_window: bool = False) -> Picture:
    """Read the first picture in a file, or a layer of it: what lies within its display window; `in_window` puts it at
    its place there, with nothing around it, where it is most of it.

    Red, green and blue are found by name (R, G, B), else in the layer that is called as pictures are, else the first
    three channels are taken; a single channel becomes grey. Values are taken as they are: whether they are linear is
    for `file_checks` to judge.

    Raises
    ------
    PictureError
        When there is no such file or layer, it is no picture, it is truncated, it is absurdly large, or nobody can say
        which of its layers is the picture.
    """
    header, stored = _stored(path, layer)
    rgb = in_strips(lambda strip: _as_floats(strip, stored.colour), [stored.values], reach=0)
    valid = sound(rgb)
    if stored.alpha is not None:
        valid &= stored.values[..., stored.alpha] != 0.0
    if in_window:
        rgb, valid = header.placed(rgb, str(path)), header.placed(valid, str(path))
    return Picture(
        pixels=rgb,
        valid=np.asarray(valid, dtype=np.bool_),
        channels=header.channels,
        bits={"uint8": 8, "uint16": 16, "half": 16}.get(header.stored, 32),
        floating=header.stored in ("half", "float", "double"),
        colour_space=header.colour_space,
    )


@dataclass(frozen=True)
class StoredPixels:
    """Those channels of a file that make its picture, as they are stored.

    Parameters
    ----------
    values : array of half or single floats, (H, W, n)
    colour : list of int
        Which of them are red, green and blue.
    alpha : int or None
        Which of them says where there is a picture.
    """

    values: NDArray[Any]
    colour: list[int]
    alpha: int | None


def stored_pixels(path: Path) -> StoredPixels:
    """A file's picture as it is stored. Raises `PictureError` as `read_picture` does."""
    return _stored(path)[1]


def _stored(path: Path, layer: str = "") -> tuple[PictureHeader, StoredPixels]:
    """Only the channels needed are read: a file may hold hundreds of passes beside its picture."""
    file = opened(path)
    try:
        header = file.header
        try:
            colour, alpha = colour_of(header.channels, layer)
        except InputError as error:
            raise PictureError(str(path), str(error)) from error
        wanted = colour if alpha is None else [*colour, alpha]
        low, high = min(wanted), max(wanted) + 1
        kind = "half" if header.kind == "half" else "float"
        values_bytes = (high - low) * np.dtype(KINDS[kind]).itemsize
        refuse_too_large(header.width * header.height * (values_bytes + BYTES_OF_PICTURE), str(path))
        values = file.rows(0, header.height, (low, high), kind)
    finally:
        file.close()
    return header, StoredPixels(values, [channel - low for channel in colour], None if alpha is None else alpha - low)


def sound(rgb: Floats) -> Mask:
    """Where all three channels are finite and no larger than light can be: `ABSURD` times the picture's usual mean, or
    what squares of float32 can hold.
    """
    lowest, highest = float(rgb.min()), float(rgb.max())  # not a number where any value is none
    if math.isfinite(lowest) and math.isfinite(highest) and max(highest, -lowest) < SURELY_LIGHT:
        return np.ones(rgb.shape[:2], dtype=np.bool_)
    valid = np.asarray(np.isfinite(rgb).all(axis=-1))
    size = np.abs(rgb, where=valid[..., None], out=np.zeros_like(rgb)).max(axis=-1)
    known = size[valid]
    if not known.size:
        return valid
    usual = float(known[known <= np.quantile(known, USUAL)].mean(dtype=np.float64))
    return np.asarray(valid & (size <= min(ABSURD * usual if usual > 0.0 else MOST_LIGHT, MOST_LIGHT)))


def _as_floats(strip: NDArray[Any], colour: list[int]) -> Floats:
    chosen = strip if colour == [0, 1, 2] and strip.shape[2] == 3 else strip[..., colour]
    return np.ascontiguousarray(chosen, dtype=np.float32)
