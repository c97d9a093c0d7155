"""The workers: an embedded one by default, or those of a scheduler elsewhere. One render at a time on each machine."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from distributed import Client, Future, LocalCluster, get_worker
from matchedpair.engines import EngineDefinition
from matchedpair.engines.process import Progress

from server.bench.task import ask_stop, render_task

TOPIC = "matchedpair-progress"
LOOPBACK = "127.0.0.1:0"


class Cluster:
    """A Dask client with at most one render in flight."""

    def __init__(self, address: str = "") -> None:
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
            )
        self._client = Client(address or self._own, set_as_default=False)
        self._latest: dict[str, Progress] = {}
        self._lock = threading.Lock()
        self._client.subscribe_topic(TOPIC, self._take)

    def start(self, definition: EngineDefinition, description: dict[str, Any]) -> Future:
        """Send one render to a worker."""
        key = description["key"]
        return self._client.submit(_render_here, definition, description, key=key, pure=False, retries=0)

    def stop(self, key: str) -> None:
        """Have the render of this key end."""
        self._client.run(ask_stop, key)

    def progress(self, key: str) -> Progress | None:
        """The newest that is known."""
        with self._lock:
            return self._latest.get(key)

    def close(self) -> None:
        """Let the workers go."""
        self._client.close()
        if self._own is not None:
            self._own.close()

    def _take(self, event: tuple[float, Any]) -> None:
        _, message = event
        with self._lock:
            self._latest = {message["key"]: Progress(**message["progress"])}


def _render_here(definition: EngineDefinition, description: dict[str, Any]) -> dict[str, Any]:
    worker = get_worker()
    return render_task(definition, description, _reporter(worker.log_event, description["key"]))


def _reporter(log_event: Callable[[str, Any], None], key: str) -> Callable[[Progress], None]:
    last = [-1.0]

    def report(progress: Progress) -> None:
        if progress.elapsed_seconds - last[0] >= 0.25:
            last[0] = progress.elapsed_seconds
            log_event(TOPIC, {"key": key, "progress": vars(progress)})

    return report
