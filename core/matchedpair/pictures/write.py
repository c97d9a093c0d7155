"""Writes pictures as EXR, whole or not at all."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from matchedpair.errors import PictureError
from matchedpair.pictures.picture import Floats


def write_exr(path: Path, pixels: Floats, *, half: bool = True) -> None:
    """Write a zip-compressed EXR; the name appears only when the file is complete.

    Parameters
    ----------
    pixels : ndarray, shape (H, W, 3) or (H, W)
        Linear Rec.709, or the one channel Y of a map.

    Raises
    ------
    PictureError
        When the shape is another or the file cannot be written.
    """
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.ndim != 3 or pixels.shape[2] not in (1, 3):
        raise PictureError(str(path), f"expected pixels of shape (H, W, 3), got {pixels.shape}")
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], "half" if half else "float")
    spec.attribute("compression", "zip")
    spec.attribute("oiio:ColorSpace", "lin_rec709_scene")
    unfinished = path.with_name(f".{path.name}.part.exr")
    output = oiio.ImageOutput.create(str(unfinished))
    if output is None or not output.open(str(unfinished), spec):
        raise PictureError(str(path), f"cannot be written ({oiio.geterror()})")
    written = output.write_image(np.ascontiguousarray(pixels, dtype=np.float32)) and output.close()
    if not written:
        raise PictureError(str(path), f"cannot be written ({output.geterror()})")
    unfinished.replace(path)
