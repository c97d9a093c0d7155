"""Starts the runner: ``manage.py runner``."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from server.processes.alone import alone
from server.processes.cluster import Cluster
from server.processes.heartbeat import RUNNER
from server.processes.runner import Runner


class Command(BaseCommand):
    """Carries out queued renders until stopped with Ctrl+C."""

    help = "Carry out queued renders, one at a time, until stopped."

    requires_system_checks = ()  # of addresses and of the API, which would have to be loaded for it

    def handle(self, *args: Any, **options: Any) -> None:
        """Hold the lock, start the workers, run."""
        with alone(RUNNER) as (_, told_to_stop):
            runner = Runner(Cluster(settings.SCHEDULER))
            self.stdout.write("The runner is ready.")
            self.stdout.flush()
            runner.run_until(told_to_stop)
