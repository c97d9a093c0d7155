"""What one map is: size, bits, memory, and what its contents show. Read in strips, so that a large one fits."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any, TypeGuard

import numpy as np
from numpy.typing import NDArray

from matchedpair.errors import InputError, PictureError
from matchedpair.pictures.picture_file import PictureFile
from matchedpair.pictures.picture_file import opened as opened_picture

ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".hdr", ".tga", ".bmp")
MOST_FILES = 5000
REDUCED = "reduced-"
SMALLER_COPIES = 4.0 / 3.0  # halved until one pixel is left: 1 + 1/4 + 1/16 + …
AT_AN_END = 0.04
BITS = {"uint8": 8, "uint16": 16, "half": 16}


@dataclass(frozen=True)
class TextureMap:
    """A map as its file holds it.

    Parameters
    ----------
    file : str
        Path below its folder, with forward slashes.
    bits : int
        Bits a channel.
    disk_bytes : int
        Size of the file.
    digest : str
        SHA-256 of the file, in hexadecimal.
    flat : bool
        All pixels are alike.
    grey : bool
        Three or more channels, of which the first three are equal everywhere.
    normals : bool
        It reads as directions of a surface: three channels that keep about the length of a unit vector.
    at_ends : float
        Share of the values near the lowest or the highest of its range; 0 for floating-point values.
    """

    file: str
    width: int
    height: int
    channels: int
    bits: int
    floating: bool
    disk_bytes: int
    digest: str
    flat: bool
    grey: bool
    normals: bool
    at_ends: float

    @property
    def memory_bytes(self) -> int:
        """Unpacked, as the file stores it."""
        return self.width * self.height * self.channels * self.bits // 8

    @property
    def with_copies_bytes(self) -> int:
        """Unpacked, with its smaller copies down to one pixel."""
        return round(self.memory_bytes * SMALLER_COPIES)


def is_below(file: object) -> TypeGuard[str]:
    """Whether it is a path that stays below the folder it is read in."""
    return (
        isinstance(file, str) and file != "" and not PurePosixPath(file).is_absolute()
        and ".." not in PurePosixPath(file).parts
    )  # fmt: skip


def find_maps(folder: Path) -> list[str]:
    """The picture files in a folder and below, reduced copies and hidden folders left out, by path below it.

    Raises `InputError` when it is no folder, holds none, or holds more than `MOST_FILES`.
    """
    if not folder.is_dir():
        raise InputError(f"{folder.name}: no such folder")
    found: list[str] = []
    for path in folder.rglob("*"):
        parts = path.relative_to(folder).parts
        if path.suffix.lower() not in ENDINGS or any(part.startswith((".", REDUCED)) for part in parts):
            continue
        found.append("/".join(parts))
        if len(found) > MOST_FILES:
            raise InputError(f"{folder.name}: holds more than {MOST_FILES} pictures; choose a folder further down")
    if not found:
        raise InputError(f"{folder.name}: holds no pictures ({', '.join(ENDINGS)})")
    return sorted(found)


def read_maps(folder: Path, files: Iterable[str]) -> tuple[list[TextureMap], dict[str, str]]:
    """These maps of a folder, and of the files that cannot be used why."""
    maps, problems = [], {}
    for file in files:
        try:
            maps.append(read_map(folder, file))
        except PictureError as error:
            problems[file] = error.problem
    return maps, problems


def read_map(folder: Path, file: str) -> TextureMap:
    """A map's facts; its pixels are looked at in strips.

    Raises
    ------
    PictureError
        When there is no such file, it is no picture, it is cut short, or it has more than `MAX_PIXELS` pixels.
    """
    path = folder / file
    digest = file_digest(path, file)
    opened = opened_picture(path, file)
    try:
        header = opened.header
        look = _Look(len(header.channels))
        for strip in strips(opened):
            look.add(strip)
        return TextureMap(
            file, header.width, header.height, len(header.channels), BITS.get(header.stored, 32),
            header.stored in ("half", "float", "double"), path.stat().st_size, digest, look.flat, look.grey,
            look.normals, look.at_ends,
        )  # fmt: skip
    finally:
        opened.close()


def file_digest(path: Path, name: str) -> str:
    """SHA-256 of a file, in hexadecimal. Raises `PictureError` when it cannot be read."""
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except FileNotFoundError as error:
        raise PictureError(name, "no such file") from error
    except OSError as error:
        raise PictureError(name, f"cannot be read: {error.strerror}") from error


def strips(opened: PictureFile) -> Iterator[NDArray[Any]]:
    """An open picture's pixels as stored, some rows at a time, each (rows, W, channels). Raises `PictureError`."""
    header = opened.header
    for first, end in header.strips():
        yield opened.rows(first, end, (0, len(header.channels)), header.kind)


class _Look:
    """What strips of a map show, gathered."""

    def __init__(self, channels: int) -> None:
        self.coloured = channels >= 3
        self.flat, self.grey, self.lengths = True, self.coloured, self.coloured
        self.first: NDArray[Any] | None = None
        self.near = self.values = 0

    def add(self, strip: NDArray[Any]) -> None:
        if self.first is None:
            self.first = strip[0, 0].copy()
        self.flat = self.flat and bool((strip == self.first).all())
        if self.coloured:
            self.grey = self.grey and bool(
                (strip[..., 0] == strip[..., 1]).all() and (strip[..., 1] == strip[..., 2]).all()
            )
            self.lengths = self.lengths and _unit_lengths(strip)
        self.values += strip[..., 0].size
        if strip.dtype.kind == "u":
            most = np.iinfo(strip.dtype).max
            low, high = AT_AN_END * most, (1.0 - AT_AN_END) * most
            self.near += int(np.count_nonzero((strip[..., 0] <= low) | (strip[..., 0] >= high)))

    @property
    def normals(self) -> bool:
        return self.lengths and not self.grey

    @property
    def at_ends(self) -> float:
        return self.near / self.values if self.values else 0.0


def _unit_lengths(strip: NDArray[Any]) -> bool:
    """Whether the first three channels read as unit vectors that point outward, in nearly all pixels."""
    if strip.dtype.kind != "u":
        return False
    vectors = strip[::4, ::4, :3].astype(np.float32) / np.iinfo(strip.dtype).max * 2.0 - 1.0
    lengths = np.sqrt((vectors**2).sum(axis=-1))
    return float(((abs(lengths - 1.0) < 0.1) & (vectors[..., 2] > 0.0)).mean()) > 0.98
