"""Writes a stand-in's pictures as EXR with lossless compression."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

HALF_MAX = 65504.0
PER_VALUE = {"half": "half", "float": "float"}


def write_exr(path: Path, picture: NDArray[Any], attributes: Mapping[str, str | int | float], depth: str) -> None:
    """Write `picture`, shape (H, W, 3) or (H, W, 1), linear Rec.709; values beyond half's range become its largest.

    `attributes` go into the header as ``render:NAME``, except ``Software``, which is a standard name.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    height, width, channels = picture.shape
    spec = oiio.ImageSpec(width, height, channels, PER_VALUE[depth])
    spec.attribute("compression", "zip")
    spec.attribute("oiio:ColorSpace", "lin_rec709_scene")
    for key, value in attributes.items():
        spec.attribute(key if key == "Software" else f"render:{key}", value)
    output = oiio.ImageOutput.create(str(path))
    if output is None or not output.open(str(path), spec):
        raise OSError(f"cannot write {path}: {oiio.geterror()}")
    fitting = np.ascontiguousarray(np.clip(picture, -HALF_MAX, HALF_MAX), dtype=np.float32)
    if not output.write_image(fitting) or not output.close():
        raise OSError(f"cannot write {path}: {output.geterror()}")
