"""Twenty machines at once: workers on loopback whose engine only waits, so that what is lost is what scheduler, runner
and database take.
"""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import Any

import psutil
from django.conf import settings
from django.db import connection
from django.test import override_settings

from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.runs.actions import queue_study
from server.runs.models import OPEN_STATES, Run, RunState
from tests.engines import add_engine

ROOT = Path(__file__).parents[1]
MACHINES, SECONDS_EACH, OPTIONS, SEEDS = 20, 10.0, 6, 2
MOST_OVER_WAITING = 1.25
LIMIT_SECONDS = 600.0


def run() -> bool:
    """Queue enough for every machine, let them wait, and look at what lay between the renders."""
    with tempfile.TemporaryDirectory(prefix="matchedpair-engines-") as folder:
        add_engine(Path(folder), "good")
        os.environ["MATCHEDPAIR_ENGINES"] = folder
        with override_settings(ENGINES=Path(folder)), _machines() as runner:
            before = _database_bytes()
            # a turn of a study stays on one machine, so that its options can be compared: one for each machine
            for _ in range(MACHINES // SEEDS):
                queue_study(study_of(
                    engine="good", width=64, height=36, repeats=SEEDS, settings={"samples": 4, "pause": SECONDS_EACH},
                    kind="range",
                    factors=[{"subject": "samples", "levels": [{"value": n} for n in range(5, 4 + OPTIONS)]}],
                ))  # fmt: skip
            began, spent = time.monotonic(), sum(runner.cpu_times()[:2])
            while Run.objects.filter(state__in=OPEN_STATES).exists() and time.monotonic() - began < LIMIT_SECONDS:
                time.sleep(0.5)
            whole = time.monotonic() - began
            cpu = sum(runner.cpu_times()[:2]) - spent
            rows = list(Run.objects.filter(state=RunState.FINISHED).order_by("started_at"))
            grown = _database_bytes() - before
    return show(f"{MACHINES} machines on one scheduler", _figures(rows, whole, cpu, grown))


def _figures(rows: list[Run], whole: float, cpu: float, grown: int) -> list[Measured]:
    own: dict[str, list[Run]] = defaultdict(list)
    for row in rows:
        own[row.machine_name].append(row)
    gaps, waiting = [], []
    for each in own.values():
        known = [(row.started_at, row.ended_at) for row in each if row.started_at and row.ended_at]
        gaps += [(later[0] - earlier[1]).total_seconds() for earlier, later in pairwise(known)]
        waiting.append(sum(row.wall_seconds or 0.0 for row in each))
    longest = max(waiting, default=1.0)
    return [
        Measured("machines that rendered", len(own), ""),
        Measured("renders", len(rows), ""),
        Measured("the whole over the longest machine's renders", whole / longest, "×", MOST_OVER_WAITING),
        Measured("between two renders on a machine, in the middle", median(gaps) if gaps else 0.0, "s"),
        Measured("the same at worst", max(gaps, default=0.0), "s"),
        Measured("the runner, of one processor", 100.0 * cpu / whole, "%"),
        Measured("the runner's processor time a render", 1000.0 * cpu / max(len(rows), 1), "ms"),
        Measured("the database, a render", grown / max(len(rows), 1) / 1000.0, "kB"),
    ]


@contextmanager
def _machines() -> Iterator[psutil.Process]:
    """A scheduler, its workers, each a machine by its name, and a runner that sends to them."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    quiet = ["--host", "127.0.0.1", "--dashboard-address", "127.0.0.1:0"]
    started = [_started("dask", "scheduler", "--port", str(port), *quiet)]
    try:
        time.sleep(5.0)
        worker = ["dask", "worker", f"127.0.0.1:{port}", *quiet, "--nthreads", "1", "--no-nanny"]
        started += [_started(*worker, MATCHEDPAIR_MACHINE=f"lane-{number:02d}") for number in range(MACHINES)]
        time.sleep(2.0 * MACHINES)  # each reads some hundred libraries
        started.append(subprocess.Popen(
            [sys.executable, "manage.py", "runner"], cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            env={**os.environ, "MATCHEDPAIR_SCHEDULER": f"127.0.0.1:{port}"},
        ))  # fmt: skip
        time.sleep(15.0)
        yield psutil.Process(started[-1].pid)
    finally:
        for process in reversed(started):
            process.terminate()
        for process in started:
            process.wait()


def _started(*words: str, **more: Any) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", *words], cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        env={**os.environ, "PYTHONPATH": str(ROOT), **more},
    )  # fmt: skip


def _database_bytes() -> int:
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return sum(each.stat().st_size for each in Path(settings.HOME).glob("db.sqlite3*"))
