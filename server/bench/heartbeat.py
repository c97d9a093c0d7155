"""Whether a runner is alive: it touches a file every second, and holds a lock that the system frees when it dies."""

from __future__ import annotations

import time
from enum import Enum
from pathlib import Path

from django.conf import settings

ALIVE_SECONDS = 10


class RunnerState(Enum):
    """A runner is there, or renders wait for one."""

    ALIVE = "alive"
    MISSING = "missing"


def beat() -> None:
    """Say that the runner is alive."""
    _file().touch()


def runner_state() -> RunnerState:
    """As the server sees it."""
    try:
        age = time.time() - _file().stat().st_mtime
    except OSError:
        return RunnerState.MISSING
    return RunnerState.ALIVE if age < ALIVE_SECONDS else RunnerState.MISSING


def lock_file() -> Path:
    """Only one runner at a time holds this."""
    return Path(settings.HOME) / "runner.lock"


def _file() -> Path:
    return Path(settings.HOME) / "runner.alive"
