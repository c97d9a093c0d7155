"""Starts the runner: ``manage.py runner``."""

from __future__ import annotations

import os
import signal
import sys
import threading
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from filelock import FileLock, Timeout

from server.bench.cluster import Cluster
from server.bench.heartbeat import lock_file
from server.bench.runner import Runner


class Command(BaseCommand):
    """Carries out queued renders until stopped with Ctrl+C."""

    help = "Carry out queued renders, one at a time, until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        """Hold the lock, start the workers, run."""
        lock = FileLock(lock_file())
        try:
            lock.acquire(timeout=15)
        except Timeout:
            raise CommandError(f"another runner is at work in {settings.HOME}; only one may be") from None
        told = threading.Event()
        for kind in (signal.SIGINT, signal.SIGTERM):
            signal.signal(kind, lambda *_: told.set())
        with lock:
            runner = Runner(Cluster(settings.SCHEDULER))
            self.stdout.write("The runner is ready.")
            runner.run_until(told.is_set)
        # the cluster's threads would wait for an engine that is being ended; all that matters is in the database
        sys.stdout.flush()
        os._exit(0)
