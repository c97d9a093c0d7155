"""The workers: an embedded one by default, or those of a scheduler elsewhere. One render at a time on each machine."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import dask
from distributed import Client, Future, LocalCluster, Worker, get_worker
from matchedpair.engines import EngineDefinition, describe_machine
from matchedpair.engines.process import Progress

from server.processes.task import Report, ask_stop, render_task

# what dask watches of itself fifty times a second, beside renders that are being timed; nobody here looks at it
QUIET = {
    "distributed.admin.tick.interval": "60s", "distributed.admin.tick.limit": "1h",
    "distributed.admin.system-monitor.interval": "60s", "distributed.admin.system-monitor.gil.enabled": False,
    "distributed.worker.profile.enabled": False, "distributed.scheduler.work-stealing": False,
    "distributed.scheduler.active-memory-manager.start": False,
    "distributed.scheduler.worker-saturation": 1.0, "distributed.client.scheduler-info-interval": "60s",
    "distributed.client.heartbeat": "60s",
}  # fmt: skip
# and what has no setting
SELDOM, SELDOM_SECONDS = ("idle-timeout", "no-workers-timeout", "ticks", "shift_counters"), 60.0
TOPIC = "matchedpair-progress"
LOOPBACK = "127.0.0.1:0"
BEAT_SECONDS = 15.0
REPORT_EVERY_SECONDS = 0.2
ASK_MACHINES_EVERY_SECONDS = 2.0
log = logging.getLogger("server.cluster")


class _Quiet(Worker):
    """One that lives in the runner's own process, and need not tell twice a second that it does."""

    async def heartbeat(self) -> None:
        """As asked for, and again only much later."""
        await super().heartbeat()
        self.periodic_callbacks["heartbeat"].callback_time = 1000.0 * BEAT_SECONDS


@dataclass(frozen=True)
class Latest:
    """The newest that is known of a render: how far it is, and its newest picture on the way, if any."""

    progress: Progress
    level: float | None
    picture: bytes | None


def _quieten(own: LocalCluster) -> None:
    """Have the scheduler look seldom whether anybody left it, which nobody can, and what its own looking costs."""
    for server in (own.scheduler, *own.workers.values()):
        for name in SELDOM:
            if name in server.periodic_callbacks:
                server.periodic_callbacks[name].callback_time = 1000.0 * SELDOM_SECONDS


class Cluster:
    """A Dask client with at most one render in flight on each machine."""

    def __init__(self, address: str = "") -> None:
        dask.config.set(QUIET)
        self._own = None
        if not address:
            # the worker lives in this process: it only waits for engines, which are processes of their own
            self._own = LocalCluster(
                n_workers=1,
                threads_per_worker=1,
                processes=False,
                memory_limit=None,
                # even without dashboards both listen; left to themselves, to the whole network
                dashboard_address=LOOPBACK,
                worker_dashboard_address=LOOPBACK,
                scheduler_sync_interval=60,
                worker_class=_Quiet,
            )
            _quieten(self._own)
        self._client = Client(address or self._own, set_as_default=False)
        self._latest: dict[str, Latest] = {}
        self._lock = threading.Lock()
        self._names: dict[str, str] = {}  # of workers, by address
        self._asked_at = -ASK_MACHINES_EVERY_SECONDS
        self._client.subscribe_topic(TOPIC, self._take)

    @property
    def embedded(self) -> bool:
        """Whether the only worker is in this very process."""
        return self._own is not None

    def machines(self) -> list[str]:
        """Names of the machines that have a worker, in a steady order; asked again every two seconds."""
        if time.monotonic() - self._asked_at >= ASK_MACHINES_EVERY_SECONDS:
            self._asked_at = time.monotonic()
            there = list(self._client.scheduler_info(n_workers=-1)["workers"])
            new = [address for address in there if address not in self._names]
            try:
                self._names |= self._client.run(_machine_name, workers=new) if new else {}
            except OSError:
                log.warning("a worker went away while it was asked for its name")
            self._names = {address: name for address, name in self._names.items() if address in there}
        return sorted(set(self._names.values()))

    def start(self, definition: EngineDefinition, description: dict[str, Any], machine: str) -> Future:
        """Send one render to a machine."""
        workers = [address for address, name in self._names.items() if name == machine]
        key = description["key"]
        return self._client.submit(
            _render_here, definition, description, key=key, pure=False, retries=0, workers=workers,
            allow_other_workers=False,
        )  # fmt: skip

    def stop(self, key: str) -> None:
        """Have the render of this key end, on whichever machine it is."""
        try:
            self._client.run(ask_stop, key, on_error="ignore")
        except OSError:
            log.warning("a worker went away while it was asked to stop %s", key)

    def latest(self, key: str) -> Latest | None:
        """The newest that is known."""
        with self._lock:
            return self._latest.get(key)

    def forget(self, key: str) -> None:
        """The render of this key has ended."""
        with self._lock:
            self._latest.pop(key, None)

    def close(self) -> None:
        """Let the workers go."""
        self._client.close()
        if self._own is not None:
            self._own.close()

    def _take(self, event: tuple[float, Any]) -> None:
        _, message = event
        with self._lock:
            before = self._latest.get(message["key"])
            level, picture = message["level"], message["picture"]
            if picture is None and before is not None:
                level, picture = before.level, before.picture
            self._latest[message["key"]] = Latest(Progress(**message["progress"]), level, picture)


def _machine_name() -> str:
    return describe_machine().name


def _render_here(definition: EngineDefinition, description: dict[str, Any]) -> dict[str, Any]:
    worker = get_worker()
    return render_task(definition, description, _reporter(worker.log_event, description["key"]))


def _reporter(log_event: Callable[[str, Any], None], key: str) -> Report:
    last = [-1.0]

    def report(progress: Progress, level: float | None, picture: bytes | None) -> None:
        if picture is not None or progress.elapsed_seconds - last[0] >= REPORT_EVERY_SECONDS:
            last[0] = progress.elapsed_seconds
            told = {"key": key, "progress": vars(progress), "level": level, "picture": picture}
            log_event(TOPIC, told)

    return report
