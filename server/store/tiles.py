"""Pictures cut into tiles for the viewer, made when a picture is first looked at and kept while there is room.

They lie apart from the store, under MATCHEDPAIR_HOME/tiles: all of it can be deleted at any time.
"""

from __future__ import annotations

import logging
import os
import threading
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from django.conf import settings
from matchedpair.errors import PictureError
from matchedpair.pictures.pyramid import Pyramid, PyramidShape, pyramid_of, pyramid_shape, read_tile

from server.store.files import HASH, path_of
from server.store.pixels import PICTURE

ENDING = ".tiles"
WRITTEN_AT_ONCE = 16_000_000
log = logging.getLogger("server.tiles")
_fresh: dict[str, Pyramid] = {}
_making: dict[str, threading.Lock] = {}
_registry = threading.Lock()
_cut_here = 0


def shape_of(digest: str) -> PyramidShape:
    """How a stored picture is cut up; cuts it up when that is not done yet.

    Raises `PictureError` when it is missing or broken, `OSError` when the disk is full.
    """
    path = _path(digest)
    with _lock(digest):
        fresh = _fresh.get(digest)
        if fresh is not None:
            return fresh.shape
        try:
            shape = pyramid_shape(path)
            _looked_at(path)
        except (FileNotFoundError, PictureError):
            made = pyramid_of(path_of(digest, PICTURE))
            shape = made.shape
            if shape.bytes <= WRITTEN_AT_ONCE:
                _write(made, path)
            else:  # nobody waits for the file: its tiles are given out of memory until it is written
                _fresh[digest] = made
                threading.Thread(target=_write_behind, args=(digest, made, path)).start()
    return shape


def shapes_at_hand(digests: Iterable[str]) -> dict[str, PyramidShape]:
    """How those pictures of the store are cut up whose tiles are there; nothing is made for this."""
    found = {}
    for digest in digests:
        with suppress(OSError, PictureError):
            if path_of(digest, PICTURE).is_file():
                found[digest] = pyramid_shape(_path(digest))
    return found


def cut_here() -> int:
    """How many pictures this process has cut up so far: with each, `shapes_at_hand` may find more."""
    return _cut_here


def cut_up(digest: str) -> None:
    """Make a picture's tiles now and wait for their file; a failure is only logged, since a look makes them again."""
    path = _path(digest)
    try:
        with _lock(digest):
            if not path.is_file() and digest not in _fresh:
                _write(pyramid_of(path_of(digest, PICTURE)), path)
    except (PictureError, OSError) as error:
        log.warning("picture %s was not cut into tiles: %s", digest, error)


def tile(digest: str, level: int, column: int, row: int) -> bytes:
    """A tile's rows, four half floats a pixel. Raises as `shape_of`, and `IndexError` when there is no such tile."""
    if digest not in _fresh:
        path = _path(digest)
        try:
            contents = read_tile(path, level, column, row)
        except (FileNotFoundError, PictureError):
            shape_of(digest)
        else:
            if column == row == 0:  # each look asks for one of these
                _looked_at(path)
            return contents
    fresh = _fresh.get(digest)  # gone from here means that its file is written
    return fresh.tile(level, column, row) if fresh else read_tile(_path(digest), level, column, row)


def _looked_at(path: Path) -> None:
    """What was looked at last is let go last."""
    with suppress(FileNotFoundError):
        os.utime(path)


def _write(made: Pyramid, path: Path) -> None:
    global _cut_here  # noqa: PLW0603 - of the process, as its threads cut up what they are asked for
    made.write(path)
    with _registry:
        _cut_here += 1
    _keep_within_room(path)


def _write_behind(digest: str, made: Pyramid, path: Path) -> None:
    try:
        _write(made, path)
    except OSError as error:
        log.warning("the tiles of picture %s were not kept: %s", digest, error)
    finally:
        _fresh.pop(digest, None)


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
