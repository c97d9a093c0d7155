"""Who may compute on this machine now: a render that is being timed, or the measurer between renders. Never both.

Two locks that the system frees when their holder dies: the *turn* itself, and the *wish* of the runner for it. The
measurer lets the turn go between two pieces of work when the runner wishes for it and it has had it for long enough.
The runner waits until the measurer has had a turn for what the last render brought: answers grow while a study runs.
"""

from __future__ import annotations

import fcntl
import logging
import os
from pathlib import Path

from django.conf import settings

from server.store.files import replace_at_once

SEEN = "measurer.seen"
log = logging.getLogger("server.turns")


class Held:
    """A lock between processes that is held or not; freed by the system when this process dies."""

    def __init__(self, name: str) -> None:
        self._path = Path(settings.HOME) / name
        self._descriptor: int | None = None

    def take(self) -> bool:
        """Take it if it is free; whether it is held now. Does not wait."""
        if self._descriptor is not None:
            return True
        descriptor = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(descriptor)
            return False
        self._descriptor = descriptor
        return True

    def let_go(self) -> None:
        """Free it, if it is held."""
        if self._descriptor is not None:
            os.close(self._descriptor)
            self._descriptor = None

    def held_by_another(self) -> bool:
        """Whether another process holds it now."""
        if self._descriptor is not None:
            return False
        if self.take():
            self.let_go()
            return False
        return True

    def __del__(self) -> None:
        self.let_go()


def turn() -> Held:
    """The turn itself."""
    return Held("turn.lock")


def wish() -> Held:
    """The runner's wish for the turn; whoever measures lets it go then."""
    return Held("wish.lock")


def seen(at: float) -> None:
    """The measurer has had its turn for all that happened before `at`, in the machine's seconds."""
    try:
        replace_at_once(Path(settings.HOME) / SEEN, repr(at).encode())
    except OSError:  # a full disk holds the queue anyway
        log.warning("it could not be written down that the measurer had its turn")


def last_seen() -> float:
    """Up to when the measurer has had its turn; 0 where that is not known."""
    try:
        return float((Path(settings.HOME) / SEEN).read_text(encoding="ascii"))
    except (OSError, ValueError):
        return 0.0
