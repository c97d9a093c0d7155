"""Writes a stand-in's picture as half-float EXR with lossless compression."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

HALF_MAX = 65504.0


def write_exr(path: Path, picture: NDArray[np.float32], attributes: dict[str, str]) -> None:
    """Write `picture`, shape (H, W, 3), linear Rec.709; values beyond half's range are written as its largest.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    spec = oiio.ImageSpec(picture.shape[1], picture.shape[0], 3, "half")
    spec.attribute("compression", "zip")
    spec.attribute("oiio:ColorSpace", "lin_rec709_scene")
    for key, value in attributes.items():
        spec.attribute(key, value)
    output = oiio.ImageOutput.create(str(path))
    if output is None or not output.open(str(path), spec):
        raise OSError(f"cannot write {path}: {oiio.geterror()}")
    fitting = np.ascontiguousarray(np.clip(picture, -HALF_MAX, HALF_MAX))
    if not output.write_image(fitting) or not output.close():
        raise OSError(f"cannot write {path}: {output.geterror()}")
