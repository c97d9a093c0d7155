"""Reads pictures with OpenImageIO, bounded before anything is decoded."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from matchedpair.errors import PictureError
from matchedpair.pictures.picture import Floats, Mask, Picture
from matchedpair.pictures.strips import in_strips

MAX_PIXELS = 16384 * 16384
ABSURD, MOST_LIGHT = 1e12, 1e15
SURELY_LIGHT = 1e6  # below it nothing is looked at twice
USUAL = 0.999


def read_picture(path: Path) -> Picture:
    """Read the first picture in a file.

    Red, green and blue are found by name (R, G, B), else the first three channels are taken; a single channel
    becomes grey. Values are taken as they are: whether they are linear is for `file_checks` to judge.

    Raises
    ------
    PictureError
        When there is no such file, it is no picture, it is truncated, or it has more than `MAX_PIXELS` pixels.
    """
    pixels, names, colour, spec = _decoded(path)
    rgb = in_strips(lambda strip: _as_floats(strip, colour), [pixels], reach=0)
    valid = sound(rgb)
    if "A" in names and len(names) > 1:
        valid &= pixels[..., names.index("A")] != 0.0
    base = str(spec.format)
    return Picture(
        pixels=rgb,
        valid=np.asarray(valid, dtype=np.bool_),
        channels=names,
        bits={"uint8": 8, "uint16": 16, "half": 16}.get(base, 32),
        floating=base in ("half", "float", "double"),
        colour_space=str(spec.get_string_attribute("oiio:ColorSpace")),
    )


def decoded(path: Path) -> tuple[NDArray[Any], tuple[str, ...], list[int]]:
    """All channels of a file as they are stored, half or single floats of shape (H, W, n), their names, and which are
    red, green and blue. Raises `PictureError` as `read_picture` does.
    """
    return _decoded(path)[:3]


def _decoded(path: Path) -> tuple[NDArray[Any], tuple[str, ...], list[int], Any]:
    if not path.is_file():
        raise PictureError(str(path), "no such file")
    opened = oiio.ImageInput.open(str(path))
    if opened is None:
        raise PictureError(str(path), f"not a readable picture ({reader_reason(oiio, path)})")
    try:
        spec = opened.spec()
        if spec.width * spec.height > MAX_PIXELS:
            raise PictureError(str(path), f"has {spec.width}×{spec.height} pixels; the most is {MAX_PIXELS}")
        halves = spec.format == oiio.HALF and not spec.channelformats
        pixels = opened.read_image(0, 0, 0, spec.nchannels, oiio.HALF if halves else oiio.FLOAT)
        if pixels is None:
            raise PictureError(str(path), f"cannot be decoded ({reader_reason(opened, path)})")
    finally:
        opened.close()
    names = tuple(str(name) for name in spec.channelnames)
    shaped = np.asarray(pixels).reshape(spec.height, spec.width, spec.nchannels)
    return shaped, names, _colour_channels(names), spec


def finite(rgb: Floats) -> Mask:
    """Where all three channels are finite; their sum tells of the whole picture at once, and mostly it is."""
    if math.isfinite(sum(cv2.sumElems(rgb))):
        return np.ones(rgb.shape[:2], dtype=np.bool_)
    return np.asarray(np.isfinite(rgb).all(axis=-1))


def sound(rgb: Floats) -> Mask:
    """Where all three channels are finite and no larger than light can be: `ABSURD` times the picture's usual mean, or
    what squares of float32 can hold.
    """
    valid = finite(rgb)
    lowest, highest, _, _ = cv2.minMaxLoc(rgb.reshape(rgb.shape[0], -1))
    if valid.all() and max(highest, -lowest) < SURELY_LIGHT:
        return valid
    size = np.abs(rgb, where=valid[..., None], out=np.zeros_like(rgb)).max(axis=-1)
    known = size[valid]
    if not known.size:
        return valid
    usual = float(known[known <= np.quantile(known, USUAL)].mean(dtype=np.float64))
    return np.asarray(valid & (size <= min(ABSURD * usual if usual > 0.0 else MOST_LIGHT, MOST_LIGHT)))


def _as_floats(strip: NDArray[Any], colour: list[int]) -> Floats:
    chosen = strip if colour == [0, 1, 2] and strip.shape[2] == 3 else strip[..., colour]
    return np.ascontiguousarray(chosen, dtype=np.float32)


def _colour_channels(names: tuple[str, ...]) -> list[int]:
    if all(name in names for name in "RGB"):
        return [names.index(name) for name in "RGB"]
    return [0, 1, 2] if len(names) >= 3 else [0, 0, 0]


def reader_reason(reader: Any, path: Path) -> str:
    """The first line of what a reader says went wrong, without the folder: where this machine keeps a file is nobody's
    business. It may quote a broken file's own bytes, which need be no text.
    """
    try:
        lines = str(reader.geterror()).strip().splitlines()
    except UnicodeDecodeError:
        return "its header holds no text"
    return lines[0].replace(str(path), path.name) if lines else "the reader gave no reason"
