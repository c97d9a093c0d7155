"""Whether the processes behind the server are alive, and what the measurer is doing.

Each beats from a thread of its own, so that long work does not make it look dead, and by the machine's time since it
was started, which no hand can set back.
"""

from __future__ import annotations

import json
import threading
import time
from contextlib import suppress
from enum import Enum
from functools import cache
from pathlib import Path

from django.conf import settings

from server.store.files import replace_at_once

ALIVE_SECONDS = 10.0
BEAT_SECONDS = 3.0
RUNNER, MEASURER, SET_UP = "runner", "measurer", "set-up"


class ProcessState(Enum):
    """A process is there, or its work waits for it."""

    ALIVE = "alive"
    MISSING = "missing"


PROCESS_STATES = [(state.value, state.value) for state in ProcessState]


class Heart:
    """Beats for a process from entering to leaving, and carries what it says it is doing."""

    def __init__(self, name: str) -> None:
        self._file = _file(name)
        self._doing = ""
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._beat_on, name=f"{name} beats", daemon=True)

    def __enter__(self) -> Heart:
        self._beat()
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._file.unlink(missing_ok=True)

    def doing(self, words: str) -> None:
        """Say what is being done now; empty for nothing."""
        if words != self._doing:
            self._doing = words
            self._beat()

    def _beat_on(self) -> None:
        while not self._over.wait(BEAT_SECONDS):
            self._beat()

    def _beat(self) -> None:
        beat = {"boot": _boot(), "at": machine_seconds(), "doing": self._doing}
        with suppress(OSError):  # a full disk; the next beat tries again
            replace_at_once(self._file, json.dumps(beat).encode())


def process_state(name: str) -> ProcessState:
    """As the server sees it."""
    return ProcessState.MISSING if _last(name) is None else ProcessState.ALIVE


def now_doing(name: str) -> str:
    """What a process says it is doing; empty when it does nothing or is not there."""
    beat = _last(name)
    return str(beat["doing"]) if beat else ""


def lock_file(name: str) -> Path:
    """Only one process of a kind at a time holds this."""
    return Path(settings.HOME) / f"{name}.lock"


def _last(name: str) -> dict[str, object] | None:
    """The last beat, while it is young."""
    try:
        beat = json.loads(_file(name).read_text(encoding="utf-8"))
        young = beat["boot"] == _boot() and 0.0 <= machine_seconds() - float(beat["at"]) < ALIVE_SECONDS
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return beat if young else None


def machine_seconds() -> float:
    """Seconds since this machine was started, the same for all of its processes."""
    return time.clock_gettime(time.CLOCK_BOOTTIME)


@cache
def _boot() -> str:
    """Which start of the machine this is; beats of an earlier one say nothing."""
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text(encoding="ascii").strip()
    except OSError:
        return ""


def _file(name: str) -> Path:
    return Path(settings.HOME) / f"{name}.alive"
