"""Files kept by the hash of their contents, under MATCHEDPAIR_HOME/store: there whole, or not at all."""

from __future__ import annotations

import errno
import hashlib
import os
import re
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from django.conf import settings

HASH = re.compile(r"[0-9a-f]{64}")
UNFINISHED = ".part-"
DEMO = "demo-data"  # beside the database of an installation that began with it
ABANDONED_SECONDS = 3600.0
PIECE = 1 << 20
FolderStamp = tuple[tuple[str, int, int], ...]
NO_ROOM = (errno.ENOSPC, errno.EDQUOT)


def keep(contents: bytes, ending: str, *, flushed: bool = True) -> str:
    """Store contents and return their hash. Written to a temporary name, flushed, and renamed.

    Parameters
    ----------
    ending : str
        Such as ``.exr``, so that the file opens in other programs.
    flushed : bool
        Not where many are kept before anything names them, and all are flushed then.

    Raises
    ------
    OSError
        When the disk is full or the folder cannot be written.
    """
    digest = hashlib.sha256(contents).hexdigest()
    target = path_of(digest, ending)
    if target.is_file() and target.stat().st_size == len(contents):
        return digest
    with written_whole(target, flushed=flushed) as file:
        file.write(contents)
    if flushed:
        _flush_folder(target.parent)
    return digest


@contextmanager
def written_whole(target: Path, *, flushed: bool = True) -> Iterator[BinaryIO]:
    """A file that is there whole, or not at all: under a temporary name, flushed, and renamed when all is written."""
    target.parent.mkdir(parents=True, exist_ok=True)
    handle, unfinished = tempfile.mkstemp(dir=target.parent, prefix=UNFINISHED)
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
            file.flush()
            if flushed:
                os.fsync(file.fileno())
        Path(unfinished).replace(target)
    except BaseException:
        Path(unfinished).unlink(missing_ok=True)
        raise


def replace_at_once(path: Path, contents: bytes) -> None:
    """Put a small file in the place of the one before, so that no reader sees half of it. Not flushed: it tells of now,
    and nothing after a loss of power. Raises `OSError`.
    """
    unfinished = path.with_suffix(".part")
    unfinished.write_bytes(contents)
    unfinished.replace(path)


def keep_file(path: Path, ending: str) -> str:
    """Store a file's contents, read a piece at a time, and return their hash. Raises `OSError`."""
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
        target = path_of(digest, ending)
        if target.is_file() and target.stat().st_size == path.stat().st_size:
            return digest
    copy_whole(path, target, digest)
    _flush_folder(target.parent)
    return digest


class OtherContentsError(OSError):
    """A file does not hold what its hash says."""


def copy_whole(path: Path, target: Path, digest: str) -> int:
    """Copy a file, there whole or not at all, checking its hash on the way; returns its bytes.

    Raises `OtherContentsError`, and `OSError` when it cannot be read or written.
    """
    copied, size = hashlib.sha256(), 0
    with path.open("rb") as file, written_whole(target) as kept:
        while piece := file.read(PIECE):
            copied.update(piece)
            size += len(piece)
            kept.write(piece)
        if copied.hexdigest() != digest:
            raise OtherContentsError(f"{path.name} changed while it was read")
    return size


def folder_stamp(folder: Path, ending: str = "") -> FolderStamp:
    """Changes with the files directly in a folder whose names end so; empty where there is no folder. Asked for every
    pair of a study, and so of the system in one go.
    """
    rows = []
    with suppress(OSError), os.scandir(folder) as entries:
        for entry in entries:
            if entry.name.endswith(ending):
                with suppress(OSError):  # gone meanwhile
                    status = entry.stat()
                    rows.append((entry.name, status.st_mtime_ns, status.st_size))
    return tuple(sorted(rows))


def path_of(digest: str, ending: str) -> Path:
    """Where contents of this hash lie. Raises `ValueError` for anything that is not a hash."""
    if not HASH.fullmatch(digest):
        raise ValueError("not a content hash")
    return Path(settings.HOME) / "store" / digest[:2] / f"{digest}{ending}"


def _flush_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def sweep_unfinished() -> int:
    """Remove what was being written to the store when power or process was lost; called when a runner starts."""
    begun_before = time.time() - ABANDONED_SECONDS
    old = [
        path for path in (Path(settings.HOME) / "store").glob(f"*/{UNFINISHED}*") if path.stat().st_mtime < begun_before
    ]
    for path in old:
        path.unlink(missing_ok=True)
    return len(old)


def room_problem(folder: Path) -> str:
    """Why nothing more should be rendered: too little room left on the disk. Empty when there is enough."""
    free = shutil.disk_usage(folder).free
    if free >= settings.KEEP_FREE_BYTES:
        return ""
    return (
        f"The disk with the pictures has {free / 1e6:.0f} MB left; rendering goes on by itself once "
        f"{settings.KEEP_FREE_BYTES / 1e6:.0f} MB are free. Let pictures of old runs go, or make room."
    )
