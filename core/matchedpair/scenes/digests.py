"""Hashes of files, read again only when a file's size or time has changed; kept from one start to the next if told."""

from __future__ import annotations

import sqlite3
import threading
from contextlib import closing, suppress
from pathlib import Path

from matchedpair.errors import PictureError
from matchedpair.textures.maps import file_digest

MOST_HELD = 50_000
_held: dict[tuple[str, int, int], str] = {}
_kept_in: list[Path] = []
_lock = threading.Lock()


def keep_digests_in(file: Path) -> None:
    """From now on hashes outlive this process, in this file, which may be deleted at any time."""
    _kept_in[:] = [file]


def digest_of(path: Path) -> str:
    """SHA-256 of a file's contents; read once for each state of the file. Raises `PictureError`."""
    try:
        state = path.stat()
    except OSError as error:
        raise PictureError(path.name, "no such file") from error
    key = (str(path.resolve()), state.st_mtime_ns, state.st_size)
    known = _held.get(key) or _looked_up(key)
    if known is None:
        known = file_digest(path, path.name)
        _write_down(key, known)
    with _lock:
        if len(_held) >= MOST_HELD:
            _held.clear()
        _held[key] = known
    return known


def _looked_up(key: tuple[str, int, int]) -> str | None:
    for file in _kept_in:
        with suppress(sqlite3.Error), closing(_opened(file)) as kept:
            row = kept.execute("SELECT digest FROM digests WHERE path = ? AND changed = ? AND size = ?", key).fetchone()
            return str(row[0]) if row else None
    return None


def _write_down(key: tuple[str, int, int], digest: str) -> None:
    for file in _kept_in:
        # a hash that is not kept is read again, no more
        with suppress(sqlite3.Error), closing(_opened(file)) as kept, kept:
            kept.execute("INSERT OR REPLACE INTO digests VALUES (?, ?, ?, ?)", (*key, digest))


def _opened(file: Path) -> sqlite3.Connection:
    kept = sqlite3.connect(file, timeout=5.0)
    kept.execute("CREATE TABLE IF NOT EXISTS digests (path TEXT PRIMARY KEY, changed INT, size INT, digest TEXT)")
    return kept
