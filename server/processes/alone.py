"""A process of which there is one in a home: it holds a lock, beats, and is told to stop by a signal."""

from __future__ import annotations

import os
import signal
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.conf import settings
from django.core.management.base import CommandError
from filelock import FileLock, Timeout

from server.processes.heartbeat import Heart, lock_file
from server.store.database import database_problem

WAIT_SECONDS = 15  # for the last one, which may be about to end


@contextmanager
def alone(name: str, when_told: Callable[[], None] = lambda: None) -> Iterator[tuple[Heart, Callable[[], bool]]]:
    """Hold the place of the one process of this name; gives its heart, and whether it was told to stop. `when_told` is
    done at once when it is.

    Ends the process at the end. Raises `CommandError` when another holds the place, or the database is of another
    version.
    """
    problem = database_problem()
    if problem:
        raise CommandError(problem[0].upper() + problem[1:])
    lock = FileLock(lock_file(name))
    try:
        lock.acquire(timeout=WAIT_SECONDS)
    except Timeout:
        raise CommandError(f"another {name} is at work in {settings.HOME}; only one may be") from None
    told = threading.Event()

    def stop(*_: object) -> None:
        told.set()
        when_told()

    for kind in (signal.SIGINT, signal.SIGTERM):
        signal.signal(kind, stop)
    with lock, Heart(name) as heart:
        yield heart, told.is_set
    # threads of the cluster would wait for an engine that is being ended; all that matters is in the database
    sys.stdout.flush()
    os._exit(0)
