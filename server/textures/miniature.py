"""A map drawn small, so that people know which it is."""

from __future__ import annotations

import tempfile
from pathlib import Path

import OpenImageIO as oiio
from matchedpair.errors import PictureError
from matchedpair.pictures.read import MAX_PIXELS

SIDE = 64


def miniature(path: Path, name: str) -> bytes:
    """A PNG of at most `SIDE` pixels a side, the values as stored. Raises `PictureError`."""
    full = oiio.ImageBuf(str(path))
    spec = full.spec()
    if full.has_error or spec.width < 1:
        full.geterror()
        raise PictureError(name, "not a readable picture")
    if spec.width * spec.height > MAX_PIXELS:
        raise PictureError(name, f"has {spec.width}×{spec.height} pixels; the most is {MAX_PIXELS}")
    scale = SIDE / max(spec.width, spec.height, SIDE)
    width, height = (max(round(side * scale), 1) for side in (spec.width, spec.height))
    # a triangle is enough for so small a picture, and a large map is done in a tenth of the time
    small = oiio.ImageBufAlgo.resample(full, True, roi=oiio.ROI(0, width, 0, height, 0, 1, 0, spec.nchannels))
    shown = oiio.ImageBufAlgo.channels(small, tuple(range(min(spec.nchannels, 3))))
    with tempfile.TemporaryDirectory() as folder:
        drawn = Path(folder) / "map.png"
        if shown.has_error or not shown.write(str(drawn), "uint8"):
            raise PictureError(name, f"cannot be drawn ({shown.geterror()})")
        return drawn.read_bytes()
