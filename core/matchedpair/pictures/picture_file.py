"""Picture files: their headers, and their pixels some rows at a time. What is absurd is refused before it is decoded.

Read in this process, or, after `apart.decode_apart`, in one of its own: a file that ends its reader, or that holds more
than anybody can hold in memory, then ends nothing else.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from matchedpair.errors import PictureError

MAX_PIXELS = 16384 * 16384
MAX_CHANNELS = 512
SHARE_OF_MEMORY = 0.25  # of the machine's, that one picture may take
STRIP_ROWS = 256
KINDS = {"uint8": np.uint8, "uint16": np.uint16, "half": np.float16, "float": np.float32}
MOST_OF_IT = 0.5  # of its display window; measuring finds nothing in a picture that is nearly empty
MOST_ATTRIBUTES, MOST_TEXT = 200, 400
Value = int | float | str


@dataclass(frozen=True)
class PictureHeader:
    """What a file says of its first picture, as far as that lies within its display window: what was rendered around
    it, for filters and lenses, is no part of it.

    Parameters
    ----------
    width, height : int
        In pixels.
    channels : tuple of str
    kind : str
        How values are stored, as `KINDS` names it; others become ``float``.
    stored : str
        How values are stored, as the reader names it: also ``uint32`` or ``double``.
    tile : int
        Height of a tile in pixels, 0 where rows are stored one by one.
    colour_space : str
        As the file or its format says it.
    attributes : dict
        The first of its further values that are numbers or short texts, by name.
    window : tuple of int or None
        Where it lies in its display window, and how large that is: x, y, width, height. None where it fills it.
    """

    width: int
    height: int
    channels: tuple[str, ...]
    kind: str
    stored: str
    tile: int
    colour_space: str
    attributes: dict[str, Value] = field(default_factory=dict)
    window: tuple[int, int, int, int] | None = None

    def strips(self) -> list[tuple[int, int]]:
        """First row and end of pieces that are read well, from above."""
        rows = max(STRIP_ROWS // self.tile, 1) * self.tile if self.tile else STRIP_ROWS
        return [(first, min(first + rows, self.height)) for first in range(0, self.height, rows)]

    def placed(self, values: NDArray[Any], name: str) -> NDArray[Any]:
        """Values of its pixels at their place in the display window, with zeros around them: where its empty borders
        were left out. A smaller part of it was rendered as a part, and stays one. Raises `PictureError` where it takes
        more memory than one picture may.
        """
        if self.window is None:
            return values
        x, y, width, height = self.window
        if self.width * self.height < MOST_OF_IT * width * height:
            return values
        refuse_too_large(width * height * values.nbytes // (self.width * self.height), name)
        whole = np.zeros((height, width, *values.shape[2:]), values.dtype)
        whole[y : y + self.height, x : x + self.width] = values
        return whole


class PictureFile(Protocol):
    """An opened picture; closed by who opened it."""

    header: PictureHeader

    def rows(self, first: int, end: int, channels: tuple[int, int], kind: str) -> NDArray[Any]:
        """Rows `first` up to `end`, channels from the first up to the second number, as values of `kind`, of shape
        (rows, W, channels). Raises `PictureError`.
        """

    def close(self) -> None:
        """Give back what it holds; may be called twice."""


class _Here:
    """A file opened in this process."""

    def __init__(self, path: Path, name: str = "") -> None:
        self._path, self._name = path, name or str(path)
        if not path.is_file():
            raise PictureError(self._name, "no such file")
        file = oiio.ImageInput.open(str(path))
        if file is None:
            raise PictureError(self._name, f"not a readable picture ({_reason(oiio, path)})")
        self._file = file
        try:
            self._spec = self._file.spec()
            if self._spec.deep:
                raise PictureError(self._name, "holds deep pixels, which cannot be measured")
            _refuse_absurd(self._spec, self._name)
            self._left, self._top, width, height, window = _shown(self._spec, self._name)
            self.header = _header(self._spec, (width, height), window)
        except UnicodeDecodeError as error:
            self.close()
            raise PictureError(self._name, "its header holds no text") from error
        except PictureError:
            self.close()
            raise

    def rows(self, first: int, end: int, channels: tuple[int, int], kind: str) -> NDArray[Any]:
        spec, (low, high) = self._spec, channels
        width = self.header.width
        result = np.empty((end - first, width, high - low), KINDS[kind])
        for shown_start, shown_stop in _within(self.header, first, end):
            start, stop = shown_start + self._top, shown_stop + self._top
            top, bottom = spec.y + start, spec.y + stop
            if spec.tile_width:
                # whole tiles are read, and the rows wanted cut out
                above = (start // spec.tile_height) * spec.tile_height
                below = min(-(-stop // spec.tile_height) * spec.tile_height, spec.height)
                read = self._file.read_tiles(0, 0, spec.x, spec.x + spec.width, spec.y + above, spec.y + below, 0, 1,
                                             low, high, kind)  # fmt: skip
                if read is not None:
                    read = np.asarray(read).reshape(below - above, spec.width, high - low)[start - above : stop - above]
            else:
                read = self._file.read_scanlines(0, 0, top, bottom, 0, low, high, kind)
            if read is None:
                raise PictureError(self._name, f"cannot be decoded ({_reason(self._file, self._path)})")
            read = np.asarray(read).reshape(stop - start, spec.width, high - low)
            result[shown_start - first : shown_stop - first] = read[:, self._left : self._left + width]
        return result

    def close(self) -> None:
        self._file.close()


_open: list[Callable[[Path, str], PictureFile]] = [_Here]


def opened(path: Path, name: str = "") -> PictureFile:
    """A picture's file, called `name` in errors.

    Raises `PictureError` when there is none, it is no picture, or one of an absurd size.
    """
    return _open[-1](path, name)


def opened_here(path: Path) -> PictureFile:
    """A picture's file, read in this very process whatever `open_with` was told. Raises `PictureError`."""
    return _Here(path)


def open_with(how: Callable[[Path, str], PictureFile]) -> None:
    """From now on this process opens pictures in this way."""
    _open[:] = [how]


def _refuse_absurd(spec: Any, name: str) -> None:
    """Raises `PictureError` for more pixels or channels than any picture has, shown or not."""
    if spec.width * spec.height > MAX_PIXELS:
        raise PictureError(name, f"has {spec.width}×{spec.height} pixels; the most is {MAX_PIXELS}")
    if spec.nchannels > MAX_CHANNELS:
        raise PictureError(name, f"has {spec.nchannels} channels; the most is {MAX_CHANNELS}")


def refuse_too_large(needed: int, name: str) -> None:
    """Raises `PictureError` where looking at a picture would take more bytes than one may on this machine."""
    most = int(SHARE_OF_MEMORY * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"))
    if needed > most:
        raise PictureError(
            name, f"would take {needed / 1e9:.1f} GB of memory to look at; one picture may take {most / 1e9:.1f} here"
        )


def _within(header: PictureHeader, first: int, end: int) -> list[tuple[int, int]]:
    return [(max(low, first), min(high, end)) for low, high in header.strips() if low < end and high > first]


def _shown(spec: Any, name: str) -> tuple[int, int, int, int, tuple[int, int, int, int] | None]:
    """Of what is stored, the part within the display window: first column and row, width and height; and where that
    lies in the display window, as `PictureHeader.window`. Raises `PictureError` where nothing of it does.
    """
    whole = (0, 0, spec.width, spec.height, None)
    full = (spec.full_width, spec.full_height)
    if min(full) <= 0 or full[0] * full[1] > MAX_PIXELS:  # it says nothing that could be shown
        return whole
    left, top = max(spec.full_x - spec.x, 0), max(spec.full_y - spec.y, 0)
    x, y = max(spec.x - spec.full_x, 0), max(spec.y - spec.full_y, 0)
    width, height = min(spec.width - left, full[0] - x), min(spec.height - top, full[1] - y)
    if min(width, height) <= 0:
        raise PictureError(name, "lies wholly outside its own display window")
    return left, top, width, height, None if (width, height) == full else (x, y, *full)


def _header(spec: Any, size: tuple[int, int], window: tuple[int, int, int, int] | None) -> PictureHeader:
    stored = str(spec.format)
    mixed = bool(spec.channelformats)
    attributes: dict[str, Value] = {}
    for item in list(spec.extra_attribs)[:MOST_ATTRIBUTES]:
        try:
            name, value = str(item.name), item.value
        except UnicodeDecodeError:  # a value that is no text says nothing
            continue
        if isinstance(value, int | float | str) and len(str(value)) <= MOST_TEXT:
            attributes[name] = value
    return PictureHeader(
        *size, tuple(str(name) for name in spec.channelnames),
        stored if stored in KINDS and not mixed else "float", stored, spec.tile_height if spec.tile_width else 0,
        str(spec.get_string_attribute("oiio:ColorSpace")), attributes, window,
    )  # fmt: skip


def _reason(reader: Any, path: Path) -> str:
    """The first line of what a reader says went wrong, without the folder: where this machine keeps a file is nobody's
    business. It may quote a broken file's own bytes, which need be no text.
    """
    try:
        lines = str(reader.geterror()).strip().splitlines()
    except UnicodeDecodeError:
        return "its header holds no text"
    return lines[0].replace(str(path), path.name) if lines else "the reader gave no reason"
