"""A map drawn small, so that people know which it is."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from matchedpair.errors import PictureError
from matchedpair.pictures.picture_file import opened
from numpy.typing import NDArray

SIDE = 64


def miniature(path: Path, name: str) -> bytes:
    """A PNG of at most `SIDE` pixels a side, the values as stored. Raises `PictureError`."""
    file = opened(path, name)
    try:
        header = file.header
        scale = SIDE / max(header.width, header.height, SIDE)
        width, height = (max(round(side * scale), 1) for side in (header.width, header.height))
        shown = 3 if len(header.channels) >= 3 else 1
        small: NDArray[np.float32] = np.zeros((height, width, shown), np.float32)
        for first, end in header.strips():
            # of a large map a row or two for each row drawn are enough
            rows = file.rows(first, end, (0, shown), "float")
            at = [row for row in range(height) if first <= int((row + 0.5) * header.height / height) < end]
            chosen = [int((row + 0.5) * header.height / height) - first for row in at]
            if at:
                drawn = cv2.resize(rows[chosen], (width, len(at)), interpolation=cv2.INTER_AREA)
                small[at] = drawn.reshape(len(at), width, shown)
    finally:
        file.close()
    codes = np.clip(np.rint(np.nan_to_num(small) * 255.0), 0, 255).astype(np.uint8)
    done, drawn_png = cv2.imencode(".png", codes[..., ::-1])
    if not done:
        raise PictureError(name, "cannot be drawn")
    return drawn_png.tobytes()
