"""Stored pictures as the browser takes them: half-float pixels for judging, small PNGs for finding."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import OpenImageIO as oiio
from django.conf import settings
from matchedpair.errors import InputError
from matchedpair.pictures import Picture, read_picture
from matchedpair.pictures.srgb import code_values
from matchedpair.pictures.view_transform import view_transforms
from numpy.typing import NDArray

from server.store.files import path_of

Box = tuple[int, int, int, int]
PICTURE, THUMBNAIL = ".exr", ".thumbnail.png"
THUMBNAIL_WIDTH, LIVE_WIDTH, SHOWN_WIDTH = 240, 480, 1600
BESIDE_WIDTH, GAP = 264, 6
MOST_SPOTS = 3000


def stored_picture(digest: str) -> Picture:
    """A picture from the store. Raises `PictureError` when it is missing or broken."""
    return read_picture(path_of(digest, PICTURE))


def thumbnail(digest: str) -> bytes:
    """A PNG of at most 240 pixels across, sRGB, made once and kept."""
    kept = path_of(digest, THUMBNAIL)
    if not kept.is_file():
        kept.parent.mkdir(parents=True, exist_ok=True)
        contents = _png(srgb(_reduced(stored_picture(digest), THUMBNAIL_WIDTH)))
        unfinished = kept.with_name(f".{kept.name}.{id(contents)}")
        unfinished.write_bytes(contents)
        unfinished.replace(kept)
    return kept.read_bytes()


def path_of_live(run: int) -> Path:
    """Where the newest picture of a run under way lies."""
    return Path(settings.HOME) / "live" / f"{run}{PICTURE}"


def live_thumbnail(run: int) -> bytes:
    """A small PNG of the newest picture of a run under way. Raises `PictureError` when there is none."""
    return _png(srgb(_reduced(read_picture(path_of_live(run)), LIVE_WIDTH)))


def shown(digest: str, transform: str, exposure: float, box: Box | None = None, most: int = SHOWN_WIDTH) -> bytes:
    """A PNG as a view transform shows it, exposure in stops; reduced to `most` pixels across, never enlarged.

    `box` is x, y, width, height of the part to show, cut to what lies in the picture.

    Raises `PictureError` when it is missing, `InputError` for an unknown transform or a box beside the picture.
    """
    picture = stored_picture(digest)
    if box is not None:
        picture = _part(picture, box)
    small = _reduced(picture, most)
    return _png(view_transforms().apply(small, transform or view_transforms().default, exposure))


def beside(parts: Sequence[tuple[str, Box]], transform: str, exposure: float) -> bytes:
    """A small PNG of parts of pictures beside each other, as a view transform shows them, each as wide as the first
    allows; what is enlarged keeps its pixels.

    Raises `PictureError` when one is missing, `InputError` for an unknown transform or a part beside its picture.
    """
    (_, (_, _, across, down)), *_ = parts
    size = (BESIDE_WIDTH, min(max(1, round(BESIDE_WIDTH * down / across)), BESIDE_WIDTH))
    drawn = []
    for digest, box in parts:
        picture = _part(stored_picture(digest), box)
        small = _reduced(picture, BESIDE_WIDTH)
        values = view_transforms().apply(small, transform or view_transforms().default, exposure)
        drawn.append(cv2.resize(values, size, interpolation=cv2.INTER_NEAREST))
        drawn.append(np.ones((size[1], GAP, 3), np.float32))
    return _png(np.hstack(drawn[:-1]))


def spots(digest: str) -> list[tuple[int, int, float]]:
    """Column, row and value of the pixels above 0 of a map that marks single pixels, strongest first, the first 3000.

    Raises `PictureError` when the map is missing.
    """
    values = stored_picture(digest).pixels[..., 0]
    rows, columns = np.nonzero(np.nan_to_num(values, posinf=0.0) > 0.0)
    found = values[rows, columns]
    order = np.argsort(-found, kind="stable")[:MOST_SPOTS]
    return [(int(columns[k]), int(rows[k]), float(found[k])) for k in order]


def _part(picture: Picture, box: Box) -> Picture:
    x, y, width, height = box
    left, top = max(x, 0), max(y, 0)
    right, bottom = min(x + width, picture.size[0]), min(y + height, picture.size[1])
    if right <= left or bottom <= top:
        raise InputError(f"the part {width} × {height} at {x}, {y} lies beside the picture of {picture.size}")
    rows, columns = slice(top, bottom), slice(left, right)
    return replace(picture, pixels=picture.pixels[rows, columns], valid=picture.valid[rows, columns])


def _reduced(picture: Picture, most: int) -> NDArray[np.float32]:
    """Linear pixels, averaged down to at most this width; invalid ones are black."""
    width = min(most, picture.size[0])
    height = max(1, round(picture.size[1] * width / picture.size[0]))
    pixels = np.where(picture.valid[..., None], picture.pixels, 0).astype(np.float32)
    if width == picture.size[0]:
        return pixels
    full = oiio.ImageBuf(oiio.ImageSpec(*picture.size, 3, "float"))
    full.set_pixels(oiio.ROI(), np.ascontiguousarray(pixels))
    small = oiio.ImageBufAlgo.resize(full, "box", roi=oiio.ROI(0, width, 0, height, 0, 1, 0, 3))
    return np.asarray(small.get_pixels(oiio.FLOAT))


def _png(values: NDArray[np.float32]) -> bytes:
    """Display values (H, W, 3), 0 to 1, as 8 bits."""
    codes = (np.clip(values, 0.0, 1.0) * np.float32(255.0) + np.float32(0.5)).astype(np.uint8)
    # noise repeats nothing: not looking for repeats takes a quarter of the time, and no more room
    how = [cv2.IMWRITE_PNG_COMPRESSION, 3, cv2.IMWRITE_PNG_STRATEGY, cv2.IMWRITE_PNG_STRATEGY_RLE]
    good, contents = cv2.imencode(".png", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR), how)
    if not good:
        raise OSError("the PNG could not be written")
    return contents.tobytes()


def srgb(linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """Linear light to sRGB code values (IEC 61966-2-1), clipped to 0 to 1."""
    return code_values(np.clip(linear, 0.0, 1.0).astype(np.float32))
