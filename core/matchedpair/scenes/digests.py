"""Hashes of files, read again only when a file's size or time has changed; kept from one start to the next if told.

Where somebody waits for an answer, more than a moment's reading is done by a thread beside, and the scene is left out
until it is through.
"""

from __future__ import annotations

import sqlite3
import threading
from collections import deque
from collections.abc import Iterable, Mapping
from contextlib import closing, suppress
from pathlib import Path

from matchedpair.errors import InputError, PictureError
from matchedpair.textures.maps import file_digest

MOST_HELD = 50_000
AT_ONCE_BYTES = 300_000_000  # a second's reading or less
Key = tuple[str, int, int]
_held: dict[Key, str] = {}
_kept_in: list[Path] = []
_lock = threading.Lock()


class BeingReadError(InputError):
    """Files are read for the first time by a thread beside; ask again."""


class _Later:
    """Reads files one after the other, in a thread that ends when there is none left."""

    def __init__(self) -> None:
        self.wanted = False
        self._waiting: deque[Path] = deque()
        self._thread: threading.Thread | None = None

    def read(self, paths: Iterable[Path]) -> None:
        with _lock:
            there = set(self._waiting)
            self._waiting.extend(path for path in paths if path not in there)
            if self._thread is None:
                self._thread = threading.Thread(target=self._go, name="scene files", daemon=True)
                self._thread.start()

    def busy(self) -> bool:
        return self._thread is not None

    def _go(self) -> None:
        while True:
            with _lock:
                if not self._waiting:
                    self._thread = None
                    return
                path = self._waiting[0]
            with suppress(PictureError):  # gone meanwhile: whoever asks again is told
                digest_of(path)
            with _lock:
                self._waiting.popleft()


_later = _Later()


def keep_digests_in(file: Path) -> None:
    """From now on hashes outlive this process, in this file, which may be deleted at any time."""
    _kept_in[:] = [file]


def read_large_files_beside(on: bool = True) -> None:
    """From now on nobody waits in this process for more than `AT_ONCE_BYTES` to be read."""
    _later.wanted = on


def being_read() -> bool:
    """Whether files are read beside now."""
    return _later.busy()


def digest_of(path: Path) -> str:
    """SHA-256 of a file's contents; read once for each state of the file. Raises `PictureError`."""
    key = _key_of(path)
    known = _held.get(key) or _looked_up([key]).get(key)
    if known is None:
        known = file_digest(path, path.name)
        _write_down(key, known)
    _hold({key: known})
    return known


def digests_of(paths: Mapping[str, Path]) -> dict[str, str]:
    """The hashes of a scene's files by name; those that cannot be read are not among them.

    Raises `BeingReadError` where they are read beside and that is not through.
    """
    keys: dict[str, Key] = {}
    for name, path in paths.items():
        with suppress(PictureError):
            keys[name] = _key_of(path)
    _hold(_looked_up([key for key in keys.values() if key not in _held]))
    unread = {name: key for name, key in keys.items() if key not in _held}
    left = sum(size for _, _, size in unread.values())
    if _later.wanted and left > AT_ONCE_BYTES:
        _later.read(paths[name] for name in unread)
        whole = sum(size for _, _, size in keys.values())
        raise BeingReadError(
            f"its files are read for the first time, {(whole - left) / 1e9:.1f} of {whole / 1e9:.1f} GB so far; "
            "it can be used once they are"
        )
    found = {}
    for name, key in keys.items():
        with suppress(PictureError):
            found[name] = _held.get(key) or digest_of(paths[name])
    return found


def _key_of(path: Path) -> Key:
    try:
        state = path.stat()
    except OSError as error:
        raise PictureError(path.name, "no such file") from error
    return str(path.resolve()), state.st_mtime_ns, state.st_size


def _hold(found: Mapping[Key, str]) -> None:
    with _lock:
        if len(_held) + len(found) > MOST_HELD:
            _held.clear()
        _held.update(found)


def _looked_up(keys: list[Key]) -> dict[Key, str]:
    """Of these files the hashes that were kept."""
    found: dict[Key, str] = {}
    for file in _kept_in if keys else ():
        with suppress(sqlite3.Error), closing(_opened(file)) as kept:
            for key in keys:
                row = kept.execute("SELECT digest FROM digests WHERE path = ? AND changed = ? AND size = ?", key)
                for (digest,) in row:
                    found[key] = str(digest)
    return found


def _write_down(key: Key, digest: str) -> None:
    for file in _kept_in:
        # a hash that is not kept is read again, no more
        with suppress(sqlite3.Error), closing(_opened(file)) as kept, kept:
            kept.execute("INSERT OR REPLACE INTO digests VALUES (?, ?, ?, ?)", (*key, digest))


def _opened(file: Path) -> sqlite3.Connection:
    kept = sqlite3.connect(file, timeout=5.0)
    kept.execute("CREATE TABLE IF NOT EXISTS digests (path TEXT PRIMARY KEY, changed INT, size INT, digest TEXT)")
    return kept
