"""Reduces one map: each pixel of its copy is the mean of those it stands for. A large one is read in strips."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from matchedpair.errors import PictureError
from matchedpair.pictures.picture_file import opened as opened_picture
from matchedpair.pictures.srgb import code_values, light_of_codes
from matchedpair.textures.maps import strips
from matchedpair.textures.plan import MapPlan

Floats = NDArray[np.float32]


def reduce_map(path: Path, row: MapPlan) -> NDArray[Any]:
    """The smaller map as its file will store it, (H, W, channels).

    Colours of integer files are averaged as light, by the sRGB curve, everything else as it is; directions of a
    surface are brought back to unit length. Raises `PictureError`.
    """
    opened = opened_picture(path, row.texture.file)
    width, height = row.size
    small = np.zeros((height, width, row.channels), np.float32)
    first = 0
    kind: np.dtype[Any] = small.dtype
    try:
        for strip in strips(opened):
            kind = strip.dtype
            values = _values(strip[..., : row.channels], _is_light(row, kind))
            resized = cv2.resize(values, (width, len(values)), interpolation=cv2.INTER_AREA)
            narrow: Floats = np.asarray(resized, np.float32).reshape(len(values), width, -1)
            _add_rows(small, narrow, first, row.texture.height)
            first += len(values)
    finally:
        opened.close()
    return _stored(small, row, kind)


def write_map(target: Path, values: NDArray[Any], file: str, original: Path) -> None:
    """Write a copy in its original's kind of file. Raises `PictureError`."""
    height, width, channels = values.shape
    kind = {"float16": "half", "float32": "float"}.get(str(values.dtype), str(values.dtype))
    spec = oiio.ImageSpec(width, height, channels, kind)
    spec.attribute("CompressionQuality", 98)
    spec.attribute("oiio:ColorSpace", _colour_space(original))
    out = oiio.ImageOutput.create(str(target))
    if out is None:
        raise PictureError(file, "pictures of this kind cannot be written here")
    done = out.open(str(target), spec) and out.write_image(np.ascontiguousarray(values))
    reason = out.geterror()
    out.close()
    if not done:
        raise PictureError(file, f"its copy cannot be written ({reason})")


def _values(stored: NDArray[Any], light: bool) -> Floats:
    """As floats: integers 0 to 1, of which the first three channels become light where that is asked for."""
    if stored.dtype.kind != "u":
        return stored.astype(np.float32)
    most = np.iinfo(stored.dtype).max
    values: Floats = stored.astype(np.float32)
    values /= most
    if light:
        values[..., :3] = _curve(most)[stored[..., :3]]
    return values


@cache
def _curve(most: int) -> Floats:
    """Light by integer code, which all strips of a map look up."""
    return light_of_codes((np.arange(most + 1) / most).astype(np.float32))


def _is_light(row: MapPlan, kind: np.dtype[Any]) -> bool:
    return row.role == "colour" and kind.kind == "u"


def _add_rows(small: Floats, strip: Floats, first: int, height: int) -> None:
    """Add to each row of the copy its share of the rows of a strip that begins at row `first` of `height`."""
    scale = height / len(small)
    top, bottom = int(first / scale), min(int(np.ceil((first + len(strip)) / scale)), len(small))
    starts = np.arange(top, bottom)[:, None] * scale
    rows = np.arange(first, first + len(strip))[None, :]
    shares = np.clip(np.minimum(rows + 1, starts + scale) - np.maximum(rows, starts), 0.0, None) / scale
    small[top:bottom] += np.tensordot(shares.astype(np.float32), strip, axes=1)


def _stored(small: Floats, row: MapPlan, kind: np.dtype[Any]) -> NDArray[Any]:
    if _is_light(row, kind):
        small[..., :3] = code_values(small[..., :3])
    if row.texture.normals and row.role == "relief":
        vectors = small[..., :3] * 2.0 - 1.0
        vectors /= np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-6)
        small[..., :3] = vectors * 0.5 + 0.5
    if kind.kind == "u":
        most = np.iinfo(kind).max
        return np.asarray(np.clip(np.rint(small * most), 0, most).astype(kind))
    return np.asarray(small.astype(kind))


def _colour_space(original: Path) -> str:
    opened = opened_picture(original, original.name)
    opened.close()
    return opened.header.colour_space
