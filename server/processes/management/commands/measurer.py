"""Starts the measurer: ``manage.py measurer``."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from server.processes.alone import alone
from server.processes.heartbeat import MEASURER
from server.processes.measurer import Measurer, forget_doing


class Command(BaseCommand):
    """Measures what renders bring, makes maps and takes in files until stopped with Ctrl+C."""

    help = "Measure what renders bring, between renders, until stopped."

    requires_system_checks = ()  # of addresses and of the API, which would have to be loaded for it

    def handle(self, *args: Any, **options: Any) -> None:
        """Hold the lock, work."""
        with alone(MEASURER, when_told=forget_doing) as (heart, told_to_stop):
            measurer = Measurer(heart)
            self.stdout.write("The measurer is ready.")
            self.stdout.flush()
            measurer.run_until(told_to_stop)
