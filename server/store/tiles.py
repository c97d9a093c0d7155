"""Pictures cut into tiles for the viewer, made when a picture is first looked at and kept while there is room.

They lie apart from the store, under MATCHEDPAIR_HOME/tiles: all of it can be deleted at any time.
"""

from __future__ import annotations

import threading
from pathlib import Path

from django.conf import settings
from matchedpair.errors import PictureError
from matchedpair.pictures.pyramid import PyramidShape, pyramid_shape, read_tile, write_pyramid

from server.store.files import HASH, path_of
from server.store.pixels import PICTURE

ENDING = ".tiles"
_making: dict[str, threading.Lock] = {}
_registry = threading.Lock()


def shape_of(digest: str) -> PyramidShape:
    """How a stored picture is cut up; cuts it up when that is not done yet.

    Raises `PictureError` when it is missing or broken, `OSError` when the disk is full.
    """
    path = _path(digest)
    with _lock(digest):
        try:
            shape = pyramid_shape(path)
            path.touch()  # what was looked at last is let go last
        except (FileNotFoundError, PictureError):
            shape = write_pyramid(path_of(digest, PICTURE), path)
            _keep_within_room(path)
    return shape


def tile(digest: str, level: int, column: int, row: int) -> bytes:
    """A tile's rows, four half floats a pixel. Raises as `shape_of`, and `IndexError` when there is no such tile."""
    try:
        return read_tile(_path(digest), level, column, row)
    except (FileNotFoundError, PictureError):
        shape_of(digest)
        return read_tile(_path(digest), level, column, row)


def drop_tiles(digest: str) -> None:
    """Delete a picture's tiles."""
    _path(digest).unlink(missing_ok=True)


def _path(digest: str) -> Path:
    if not HASH.fullmatch(digest):
        raise PictureError(digest, "not a content hash")
    return Path(settings.HOME) / "tiles" / digest[:2] / f"{digest}{ENDING}"


def _lock(digest: str) -> threading.Lock:
    with _registry:
        return _making.setdefault(digest, threading.Lock())


def _keep_within_room(newest: Path) -> None:
    """Delete the tiles that were looked at longest ago; the newest stay, however large they are."""
    found = []
    for path in (Path(settings.HOME) / "tiles").glob(f"*/*{ENDING}"):
        try:
            found.append((path.stat().st_mtime, path.stat().st_size, path))
        except FileNotFoundError:
            continue  # another request has just let it go
    room = settings.TILES_BYTES - sum(size for _, size, path in found if path == newest)
    for _, size, path in sorted(found, reverse=True):
        if path == newest:
            continue
        room -= size
        if room < 0:
            path.unlink(missing_ok=True)
