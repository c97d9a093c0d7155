"""A picture cut into tiles at full size and at every half of it, in one file from which any tile is read at once.

The file begins with `MARK`, width and height; the tiles follow, from the full size down to the level that is one
tile, each level row by row. A tile is rows of four half floats a pixel: red, green, blue, and the share of what it
stands for that is valid. Tiles at the right and at the bottom are as small as what is left.
"""

from __future__ import annotations

import os
import struct
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from matchedpair.errors import PictureError
from matchedpair.pictures import pyramid_kernels as kernels
from matchedpair.pictures.read import stored_pixels

TILE = 512
MARK = b"MPTILES2"
HEAD = struct.Struct("<8sII")
BYTES_PER_PIXEL = 8


@dataclass(frozen=True)
class PyramidShape:
    """How a picture of this size is cut up."""

    width: int
    height: int

    @property
    def levels(self) -> tuple[tuple[int, int], ...]:
        """Width and height of each level, from the full size down to the first that is one tile."""
        sizes = [(self.width, self.height)]
        while max(sizes[-1]) > TILE:
            sizes.append(((sizes[-1][0] + 1) // 2, (sizes[-1][1] + 1) // 2))
        return tuple(sizes)

    def box(self, level: int, column: int, row: int) -> tuple[int, int, int, int]:
        """Left, top, width and height of a tile in its level. Raises `IndexError` when there is no such tile."""
        if not 0 <= level < len(self.levels):
            raise IndexError(f"there is no level {level}")
        width, height = self.levels[level]
        left, top = column * TILE, row * TILE
        if column < 0 or row < 0 or left >= width or top >= height:
            raise IndexError(f"there is no tile {column}, {row} at level {level}")
        return left, top, min(TILE, width - left), min(TILE, height - top)

    def offset(self, level: int, column: int, row: int) -> int:
        """Where a tile begins in the file, in bytes."""
        before = sum(width * height for width, height in self.levels[:level])
        left, top, _, height = self.box(level, column, row)
        pixels = before + top * self.levels[level][0] + left * height
        return HEAD.size + BYTES_PER_PIXEL * pixels

    @property
    def bytes(self) -> int:
        """Size of the whole file."""
        return HEAD.size + BYTES_PER_PIXEL * sum(width * height for width, height in self.levels)


@dataclass(frozen=True)
class Pyramid:
    """A picture at all its levels in memory: half floats as bits, each of shape (H, W, 4)."""

    levels: tuple[NDArray[np.uint16], ...]

    @property
    def shape(self) -> PyramidShape:
        """How it is cut up."""
        return PyramidShape(self.levels[0].shape[1], self.levels[0].shape[0])

    def tile(self, level: int, column: int, row: int) -> bytes:
        """One tile as it is sent. Raises `IndexError` when there is no such tile."""
        left, top, width, height = self.shape.box(level, column, row)
        return np.ascontiguousarray(self.levels[level][top : top + height, left : left + width]).tobytes()

    def write(self, target: Path) -> None:
        """Keep it as a file; the name appears only when the file is complete. Raises `OSError`."""
        target.parent.mkdir(parents=True, exist_ok=True)
        handle, unfinished = tempfile.mkstemp(dir=target.parent, prefix=".part-")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(HEAD.pack(MARK, self.shape.width, self.shape.height))
                for level in self.levels:
                    for tile in _tiles(level):
                        file.write(np.ascontiguousarray(tile).data)
            Path(unfinished).replace(target)
        except BaseException:
            Path(unfinished).unlink(missing_ok=True)
            raise


def pyramid_of(source: Path) -> Pyramid:
    """A picture file's pyramid. Raises `PictureError`."""
    levels = [_full(source)]
    for width, height in PyramidShape(levels[0].shape[1], levels[0].shape[0]).levels[1:]:
        smaller = np.empty((height, width, 4), dtype=np.uint16)
        kernels.halved(levels[-1], kernels.AS_FLOAT, smaller)
        levels.append(smaller)
    return Pyramid(tuple(levels))


def pyramid_shape(path: Path) -> PyramidShape:
    """The size of the picture in a pyramid file. Raises `PictureError` when it is none, or cut short."""
    with path.open("rb") as file:
        head = file.read(HEAD.size)
        length = os.fstat(file.fileno()).st_size
    if len(head) == HEAD.size:
        mark, width, height = HEAD.unpack(head)
        shape = PyramidShape(width, height)
        if mark == MARK and shape.bytes == length:
            return shape
    raise PictureError(str(path), "is no whole file of tiles")


def read_tile(path: Path, level: int, column: int, row: int) -> bytes:
    """One tile as it is sent. Raises `PictureError`, and `IndexError` when there is no such tile."""
    shape = pyramid_shape(path)
    _, _, width, height = shape.box(level, column, row)
    with path.open("rb") as file:
        file.seek(shape.offset(level, column, row))
        return file.read(BYTES_PER_PIXEL * width * height)


def _full(source: Path) -> NDArray[np.uint16]:
    """A picture's pixels as half floats with their validity, shape (H, W, 4)."""
    stored = stored_pixels(source)
    raw = stored.values
    if raw.dtype == np.float16:
        bits = raw.view(np.uint16)
    else:
        bits = np.empty(raw.shape, dtype=np.uint16)
        kernels.to_halves(raw, bits)
    rgba = np.empty((*bits.shape[:2], 4), dtype=np.uint16)
    kernels.with_validity(bits, *stored.colour, -1 if stored.alpha is None else stored.alpha, rgba)
    return rgba


def _tiles(level: NDArray[np.uint16]) -> Iterator[NDArray[np.uint16]]:
    for top in range(0, level.shape[0], TILE):
        for left in range(0, level.shape[1], TILE):
            yield level[top : top + TILE, left : left + TILE]
