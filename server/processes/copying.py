"""The copy that is asked for on the screen: made by a process of its own, which tells how far it is in a file."""

from __future__ import annotations

import json
import math
import subprocess
import sys
import time
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from django.conf import settings
from django.utils import timezone
from filelock import FileLock, Timeout
from matchedpair.errors import InputError

from server.processes.backup import ABOUT, back_up
from server.store.files import replace_at_once

TELL_EVERY_SECONDS = 0.5
START_SECONDS = 60.0


@dataclass(frozen=True)
class Copying:
    """How far the copy is, or how the last one ended.

    Parameters
    ----------
    at_work : bool
    done, of : int
        Files it is through with, of all.
    made_at : str
        When the last whole copy was made, as ISO 8601; empty when there is none.
    new_files, new_bytes : int
        What the last whole copy had to add.
    problem : str
        Why the last try ended without a whole copy; empty otherwise.
    asked_at : float
        When it was asked for, in seconds since the machine was started.
    """

    at_work: bool = False
    done: int = 0
    of: int = 0
    made_at: str = ""
    new_files: int = 0
    new_bytes: int = 0
    problem: str = ""
    asked_at: float = -math.inf

    @property
    def starting(self) -> bool:
        """Whether its process may not have come so far as to say anything."""
        return self.at_work and 0.0 <= time.monotonic() - self.asked_at < START_SECONDS


def copying() -> Copying:
    """How it stands. One that ended without a word, as by a kill, is told as a problem."""
    told = _told()
    at_work = _at_work() or told.starting
    if told.at_work and not at_work:
        return replace(told, at_work=False, problem="It was ended before it was through. What it copied is kept.")
    return replace(told, at_work=at_work)


def begin_copy() -> None:
    """Start one that goes on whoever ends, unless one is at work."""
    told = _told()
    if _at_work() or told.starting:
        return
    _tell(replace(told, at_work=True, done=0, of=0, problem="", asked_at=time.monotonic()))
    subprocess.Popen(
        [sys.executable, str(settings.ROOT / "manage.py"), "backup", "--told", str(settings.BACKUP)],
        stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
    )  # fmt: skip


def on_another_disk() -> bool:
    """Whether the copy outlives the disk that everything lies on."""
    folder: Path = settings.BACKUP
    there = next(path for path in (folder, *folder.parents) if path.exists())
    return there.stat().st_dev != Path(settings.HOME).stat().st_dev


def copy_and_tell(folder: Path) -> tuple[int, int]:
    """Copy, telling how far it is; what `back_up` returns and raises. Of two at once the second does nothing."""
    try:
        with _lock().acquire(blocking=False):
            return _copied(folder)
    except Timeout:
        return 0, 0


def _copied(folder: Path) -> tuple[int, int]:
    before = _told()
    at = time.monotonic() - TELL_EVERY_SECONDS

    def tell(done: int, of: int) -> None:
        nonlocal at
        if time.monotonic() - at >= TELL_EVERY_SECONDS:
            at = time.monotonic()
            _tell(replace(before, at_work=True, done=done, of=of, problem="", asked_at=-math.inf))

    try:
        new, size = back_up(folder, tell)
    except (InputError, OSError) as error:
        words = str(error) if isinstance(error, InputError) else (error.strerror or "the disk gave an error")
        _tell(replace(before, at_work=False, problem=words.replace(str(folder), "its folder")))
        raise
    _tell(Copying(made_at=timezone.now().isoformat(), new_files=new, new_bytes=size))
    return new, size


def _lock() -> FileLock:
    return FileLock(Path(settings.HOME) / "copying.lock", is_singleton=False)


def _at_work() -> bool:
    lock = _lock()
    try:
        lock.acquire(blocking=False)
    except Timeout:
        return True
    lock.release()
    return False


def _file() -> Path:
    return Path(settings.HOME) / "copying.json"


def _told() -> Copying:
    try:
        return Copying(**json.loads(_file().read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError):
        about = settings.BACKUP / ABOUT
        try:
            return Copying(made_at=str(json.loads(about.read_text(encoding="utf-8"))["made_at"]))
        except (OSError, ValueError, TypeError, KeyError):
            return Copying()


def _tell(what: Copying) -> None:
    replace_at_once(_file(), json.dumps(asdict(what)).encode())
