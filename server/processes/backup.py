"""Copies of all that is kept, back again, and whether every file is what its name says.

The database is copied first, as it is at one moment; then every file of the store that the copy does not have yet.
Files are kept by the hash of their contents and never change, so that a second copy takes only what is new, and
whatever the database named when it was copied was in the store before.
"""

from __future__ import annotations

import json
import re
import shutil
import sqlite3
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

from django.conf import settings
from django.utils import timezone
from filelock import FileLock, Timeout
from matchedpair.errors import InputError
from matchedpair.textures.maps import file_digest

from server.processes.heartbeat import MEASURER, RUNNER, lock_file
from server.processes.turns import Held
from server.store.database import copy_database, database_path, integrity_problem
from server.store.files import HASH, OtherContentsError, copy_whole, written_whole
from server.store.pixels import THUMBNAIL

FORMAT = 1
SERVER_LOCK = "server.lock"  # held while pages are served
DATABASE, STORE, ABOUT = "db.sqlite3", "store", "about.json"
NAMED = re.compile(rb"[0-9a-f]{64}")
# what the database names and must be there: tables, columns, and in JSON columns every value
MUST_BE_THERE = (
    ("runs_run", "picture"), ("runs_run", "passes"), ("references_reference", "picture"),
    ("references_reference", "twin"), ("references_reference", "matched_picture"),
    ("references_panorama", "picture"), ("imports_importedrender", "picture"),
    ("imports_importedrender", "original"), ("catalogue_scenerevision", "revision"),
)  # fmt: skip
ORPHAN_AFTER_SECONDS = 24 * 3600.0


@dataclass
class Found:
    """What a check found: how many files are whole, and names of those that are spoiled, missing or not needed."""

    files: int = 0
    bytes: int = 0
    spoiled: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    orphans: list[str] = field(default_factory=list)
    database: str = ""

    @property
    def good(self) -> bool:
        """Whether all that is needed is there and whole."""
        return not (self.spoiled or self.missing or self.database)

    def words(self) -> list[str]:
        """In plain lines, the summary first."""
        lines = [
            f"{self.files} files, {self.bytes / 1e6:.0f} MB: " + ("all whole." if self.good else "not all is well.")
        ]
        lines += [f"The database is broken: {self.database}"] if self.database else []
        lines += [f"Spoiled: {name} is not what its name says" for name in self.spoiled]
        lines += [f"Missing: {name}, which the database names" for name in self.missing]
        if self.orphans:
            lines.append(f"{len(self.orphans)} files are named by nothing; sweep_store removes them.")
        return lines


def back_up(folder: Path, on_progress: Callable[[int, int], None] = lambda done, of: None) -> tuple[int, int]:
    """Copy everything into a folder, or bring a copy there up to date, telling how many files of how many it is
    through with. Returns how many files were new, and their bytes.

    Raises
    ------
    InputError
        When the folder holds something else, or a file of the store is spoiled and so must not be copied.
    """
    folder.mkdir(parents=True, exist_ok=True)
    if any(folder.iterdir()) and not (folder / ABOUT).is_file():
        raise InputError(f"{folder} holds something else; name an empty folder, or one with a copy")
    copy_database(folder / DATABASE)
    new, copied = 0, 0
    stored = list(_stored(Path(settings.HOME)))
    for done, path in enumerate(stored):
        on_progress(done, len(stored))
        target = folder / STORE / path.parent.name / path.name
        if target.is_file() and target.stat().st_size == path.stat().st_size:
            continue
        copied += _copy(path, target)
        new += 1
    about = {"format": FORMAT, "kind": "matched pair backup", "made_at": timezone.now().isoformat()}
    with written_whole(folder / ABOUT) as file:
        file.write(json.dumps(about, indent=1).encode())
    return new, copied


def restore(folder: Path) -> str:
    """Bring a copy back: its database in the place of the one that is here, which is set aside, and the files that are
    lacking here. Returns where the one that was here lies now; empty when there was none.

    Raises
    ------
    InputError
        When it is no copy, is not whole, or a runner or measurer is at work here.
    """
    if not (folder / ABOUT).is_file():
        raise InputError(f"{folder} holds no copy: there is no {ABOUT}")
    found = check(folder)
    if not found.good:
        raise InputError(f"{folder} is not whole, so nothing was restored. " + " ".join(found.words()[1:4]))
    locks = [FileLock(lock_file(name)) for name in (RUNNER, MEASURER)]
    try:
        if Held(SERVER_LOCK).held_by_another():
            raise Timeout(SERVER_LOCK)
        for lock in locks:
            lock.acquire(timeout=0.2)
    except Timeout:
        raise InputError("Matched Pair is at work here; stop it before anything is restored") from None
    try:
        for path in _stored(folder):
            target = Path(settings.HOME) / STORE / path.parent.name / path.name
            if not target.is_file() or target.stat().st_size != path.stat().st_size:
                _copy(path, target)
        here = database_path()
        aside = ""
        if here.is_file():
            kept = here.with_name(f"{here.name}.before-restore-{timezone.now():%Y%m%d-%H%M%S}")
            copy_database(kept)
            aside = str(kept)
        brought = here.with_name(f".{here.name}.restored")
        shutil.copyfile(folder / DATABASE, brought)
        for ending in ("-wal", "-shm"):
            here.with_name(here.name + ending).unlink(missing_ok=True)
        brought.replace(here)
    finally:
        for lock in locks:
            lock.release()
    return aside


def check(home: Path) -> Found:
    """Read every file of a home, or of a copy, and hold it against its name and against what the database names."""
    found = Found(database=integrity_problem(home / DATABASE))
    there: dict[str, str] = {}
    for path in _stored(home):
        found.files += 1
        found.bytes += path.stat().st_size
        digest = path.name[:64]
        there.setdefault(digest, path.name)
        if file_digest(path, path.name) != digest:
            found.spoiled.append(path.name)
    if not found.database:
        named, needed = _named(home / DATABASE)
        found.missing = sorted(needed - there.keys())
        found.orphans = sorted(name for digest, name in there.items() if digest not in named)
    return found


def sweep(*, dry: bool) -> list[str]:
    """Remove files of the store that nothing names and that are older than a day; returns their names. A dry run
    removes nothing.
    """
    named, _ = _named(database_path())
    begun_before = time.time() - ORPHAN_AFTER_SECONDS
    old = [
        path for path in _stored(Path(settings.HOME))
        if path.name[:64] not in named and path.stat().st_mtime < begun_before
    ]  # fmt: skip
    for path in () if dry else old:
        path.unlink(missing_ok=True)
    return [path.name for path in old]


def _stored(home: Path) -> Iterator[Path]:
    for path in sorted((home / STORE).glob("*/*")):
        if HASH.fullmatch(path.name[:64]) and path.is_file() and _is_original(path.name):
            yield path


def _is_original(name: str) -> bool:
    """Thumbnails lie beside their picture under its hash; they are made again and are not what their name says."""
    return not name.endswith(THUMBNAIL)


def _named(database: Path) -> tuple[set[str], set[str]]:
    """All hashes that stand anywhere in a database, and those of files that must be there."""
    everywhere: set[str] = set()
    needed: set[str] = set()
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
        opened.text_factory = bytes
        tables = [row[0].decode() for row in opened.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        for table in tables:
            for row in opened.execute(f'SELECT * FROM "{table}"'):
                for value in row:
                    if isinstance(value, bytes) and len(value) >= 64:
                        everywhere.update(digest.decode() for digest in NAMED.findall(value))
        for table, column in MUST_BE_THERE:
            if table in tables:
                for (value,) in opened.execute(f'SELECT "{column}" FROM "{table}" WHERE "{column}" IS NOT NULL'):
                    needed.update(digest.decode() for digest in NAMED.findall(value))
    return everywhere, needed


def _copy(path: Path, target: Path) -> int:
    """Copy one file of the store; returns its bytes."""
    try:
        return copy_whole(path, target, path.name[:64])
    except OtherContentsError as error:
        raise InputError(f"{path.name} is spoiled: it is not what its name says; run make verify") from error
