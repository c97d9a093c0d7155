"""What is known of each engine's times on each machine, learnt from all finished runs; read anew every few seconds."""

from __future__ import annotations

import time
from collections import defaultdict
from threading import Lock

from django.apps import apps
from matchedpair.measures.habit import UNKNOWN, Account, Habit, learnt

MOST_RUNS = 4000  # the newest tell of the machine as it is
SERVES_SECONDS = 5.0
Key = tuple[str, str, int]


class _Kept:
    """The habits as they were last learnt, and until when they serve."""

    def __init__(self) -> None:
        self.habits: dict[Key, Habit] = {}
        self.until = 0.0
        self.lock = Lock()


_kept = _Kept()


def habit_of(engine: str, machine: str, threads: int) -> Habit:
    """The habit of an engine on a machine with so many threads; the unknown one where nothing is there yet."""
    with _kept.lock:
        if time.monotonic() >= _kept.until:
            _kept.habits = _learnt()
            _kept.until = time.monotonic() + SERVES_SECONDS
        return _kept.habits.get((engine, machine, threads), UNKNOWN)


def forget() -> None:
    """Learn anew when next asked, since a run has ended."""
    with _kept.lock:
        _kept.until = 0.0


def _learnt() -> dict[Key, Habit]:
    rows = (
        apps.get_model("runs", "Run")
        .objects.filter(state="finished", warm_up=False, wall_seconds__gt=0, made_by=None, study__from_elsewhere=False)
        .order_by("-pk")[:MOST_RUNS]
    )
    names = (
        "option__engine", "machine_name", "study__threads", "option_id", "wall_seconds", "ready_seconds", "cpu_seconds",
        "option__device",
    )  # fmt: skip
    accounts: dict[Key, list[Account]] = defaultdict(list)
    processors: dict[Key, bool] = {}
    for engine, machine, threads, option, wall, ready, cpu, device in rows.values_list(*names):
        key = (engine, machine or "unknown machine", threads)
        share = None if cpu is None or cpu < 0 else cpu / (wall * threads)
        accounts[key].append(Account(option, max(wall - (ready or 0.0), 1e-6), share))
        processors[key] = processors.get(key, True) and "cpu" in (device or "cpu").lower()
    return {key: learnt(own, on_processors=processors[key]) for key, own in accounts.items()}
