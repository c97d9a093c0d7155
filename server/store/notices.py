"""Notices between processes that something changed: lines at the end of one file, so that nobody has to look in vain.

Whoever writes rings; whoever waits reads what came since. A notice is a hint and never the truth, which is in the
database: one that gets lost is made good by the slow look that everybody who waits also takes.
"""

from __future__ import annotations

import fcntl
import logging
import os
import time
from collections.abc import Callable
from pathlib import Path
from threading import Event

from django.conf import settings
from django.db import transaction
from matchedpair.elsewhere.intake import EVERYTHING, NOTICES

MOST_BYTES = 256 * 1024
# often while something may be going on, less often once nothing has been heard for a while
LOOK_EVERY_SECONDS, BUSY_SECONDS, AT_REST_SECONDS = 0.05, 2.0, 0.2
# topics: what runs do, how far they are, what was measured, and all that people change
RUNS, PROGRESS, MEASURED = "runs", "progress", "measured"
log = logging.getLogger("server.notices")


def ring(topic: str = EVERYTHING) -> None:
    """Tell all processes that something of this topic changed."""
    try:
        with _file().open("ab") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            if file.tell() > MOST_BYTES:
                file.truncate(0)
            file.write(f"{topic}\n".encode())
    except OSError:  # a full disk: whoever waits looks by itself a little later
        log.warning("a notice could not be written")


def ring_after_commit(topic: str = EVERYTHING) -> None:
    """Ring once what is being written can be read by others."""
    transaction.on_commit(lambda: ring(topic))


def told_so_far() -> int:
    """How far notices have come, in bytes: an answer is up to date as long as this stays what it was before it."""
    try:
        return os.stat(_file()).st_size  # noqa: PTH116 - asked many times a second
    except OSError:
        return 0


class Listener:
    """Hears what was rung since it was made, or since it last heard."""

    def __init__(self) -> None:
        self._at = told_so_far()
        self._last = time.monotonic()

    def heard(self) -> list[str]:
        """The topics rung since the last time, each once, in their order."""
        size = told_so_far()
        if size == self._at:
            return []
        self._last = time.monotonic()
        if size < self._at:  # begun anew: what was in between is not known
            self._at = size
            return [EVERYTHING]
        with _file().open("rb") as file:
            file.seek(self._at)
            told = file.read()
        self._at += len(told)
        return list(dict.fromkeys(told.decode(errors="replace").split("\n")[:-1]))

    def wait(
        self, seconds: float, *, or_until: Callable[[], bool] = lambda: False, woken: Event | None = None
    ) -> list[str]:
        """What is rung within so many seconds; empty when nothing is, or when something else is to be done first.

        A `woken` that is set within this process ends the wait at once.
        """
        woken = woken or Event()
        end = time.monotonic() + seconds
        while not ((topics := self.heard()) or or_until() or woken.is_set()) and (now := time.monotonic()) < end:
            woken.wait(LOOK_EVERY_SECONDS if now - self._last < BUSY_SECONDS else min(AT_REST_SECONDS, end - now))
        return topics


def _file() -> Path:
    return Path(settings.HOME) / NOTICES
